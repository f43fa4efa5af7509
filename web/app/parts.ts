/** All Parts and campaigns of the desk, loaded once and brought up to date by the event stream. */
import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import type { PartKind, PartRecord } from '@tracheon/core/contract';
import { ask } from './api.ts';

export const useParts = defineStore('parts', () => {
  // A record is never changed, only replaced.
  const all = shallowRef<PartRecord[]>([]);
  const state = ref<'loading' | 'ready' | 'failed'>('loading');
  const failure = ref('');
  const load = async (): Promise<void> => {
    try {
      const before = new Map(all.value.map((p) => [p.id, p]));
      // What has not changed stays the very same, so that a table that is being clicked keeps its rows.
      all.value = (await ask('listParts')).map((p) => {
        const old = before.get(p.id);
        return old && JSON.stringify(old) === JSON.stringify(p) ? old : p;
      });
      state.value = 'ready';
    } catch (error) {
      failure.value = (error as Error).message;
      if (all.value.length === 0) state.value = 'failed';
    }
  };
  const put = (record: PartRecord): void => {
    all.value = [...all.value.filter((p) => p.id !== record.id), record].sort((a, b) =>
      a.id < b.id ? -1 : 1,
    );
  };
  return {
    all,
    state,
    failure,
    load,
    byId: computed(() => new Map(all.value.map((p) => [p.id, p]))),
    of: <K extends PartKind>(kind: K, archived = false): PartRecord<K>[] =>
      all.value.filter((p) => p.kind === kind && (archived || p.state !== 'archived')) as PartRecord<K>[],
    one: <K extends PartKind>(kind: K, id: string): PartRecord<K> | undefined =>
      all.value.find((p) => p.kind === kind && p.id === id) as PartRecord<K> | undefined,
    create: async (kind: PartKind, body: unknown): Promise<PartRecord> => {
      const record = await ask('createPart', { kind, body });
      put(record);
      return record;
    },
    /** `version` is the one that was edited; refused when the server has a newer one. */
    update: async (old: PartRecord, body: unknown, version: number): Promise<PartRecord> => {
      const record = await ask('changePart', { kind: old.kind, id: old.id, body: { version, body } });
      put(record);
      return record;
    },
    setState: async (old: PartRecord, next: PartRecord['state']): Promise<PartRecord> => {
      const record = await ask('setPartState', { kind: old.kind, id: old.id, body: { state: next } });
      put(record);
      return record;
    },
  };
});
