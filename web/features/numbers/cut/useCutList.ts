/** The cut list of a source: what it answers, which values are chosen, and the lists of the source. */
import { computed, ref, shallowRef, watch } from 'vue';
import type { CutListAnswer, ListEntry, ListKind } from '@tracheon/core/contract';
import { daysIn } from '@tracheon/core/time';
import { verdictReason } from '@tracheon/core/metrics';
import { ask } from '../../../app/api.ts';
import { newest } from '../../../base/newest.ts';
import { usePeriod } from '../../../shared/period.ts';
import { useIndexed } from '../../../shared/useIndexed.ts';
import { useCutChoice } from './useCutChoice.ts';

export function useCutList() {
  const { range } = usePeriod();
  const choice = useCutChoice();
  const { source, sub } = choice;
  const answer = shallowRef<CutListAnswer | null>(null);
  const entries = shallowRef<ListEntry[]>([]);
  const state = ref<'loading' | 'ready' | 'failed'>('loading');
  const failure = ref('');
  const chosen = ref<string[]>([]);
  const { building, indexed } = useIndexed(() => void load());
  const asks = newest();
  async function read(): Promise<[CutListAnswer, ListEntry[]]> {
    const sourceId = source.value!.id;
    return indexed(() =>
      Promise.all([
        ask('cutList', { body: { sourceId, sub: sub.value, ...range.value } }),
        ask('listEntries', { query: { sourceId } }),
      ]),
    );
  }
  /** `afresh`: what the rules cut is chosen. */
  function load(afresh = false): Promise<void> {
    if (!source.value || sub.value === '') return Promise.resolve();
    return asks(
      read(),
      ([found, kept]) => {
        if (afresh || answer.value === null)
          chosen.value = found.rows
            .filter((r) => r.verdict.kind === 'cut' && r.list === '')
            .map((r) => r.value);
        answer.value = found;
        entries.value = kept;
        state.value = 'ready';
        failure.value = '';
      },
      (why) => {
        failure.value = why;
        state.value = 'failed';
      },
    );
  }
  watch(
    [() => source.value?.id, sub, range],
    () => {
      answer.value = null;
      state.value = 'loading';
      void load(true);
    },
    { immediate: true },
  );

  const rows = computed(() => answer.value?.rows ?? []);
  const chosenRows = computed(() => rows.value.filter((r) => chosen.value.includes(r.value)));
  /** All of them or none, each with its own reason. */
  async function addTo(list: ListKind): Promise<number> {
    const values = chosenRows.value.map((r) => ({
      value: r.value,
      profitMicros: r.figures.profitMicros,
      reason: verdictReason(r.verdict),
    }));
    const where = { sourceId: source.value!.id, sub: sub.value };
    const added = await ask('addToList', { body: { ...where, list, values, days: daysIn(range.value) } });
    chosen.value = [];
    await load();
    return added.length;
  }
  const remove = (ids: string[]): Promise<void> =>
    ask('removeFromList', { body: { ids } }).then(() => load());
  const listed = computed(() => entries.value.filter((e) => e.sub === sub.value));
  const onList = (list: ListKind): ListEntry[] =>
    listed.value.filter((e) => e.list === list && e.removedAt === null);
  return {
    ...choice,
    answer,
    rows,
    state,
    failure,
    building,
    chosen,
    chosenRows,
    listed,
    onList,
    load,
    addTo,
    remove,
  };
}
