<script setup lang="ts">
/** Keys by which somebody called, and which nobody has: links and postback URLs that are mistyped or gone. */
import Button from 'primevue/button';
import type { UnknownKeyRow } from '@tracheon/core/contract';
import { useToast } from 'primevue/usetoast';
import { computed, onMounted, ref, shallowRef } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { countryName, moment } from '../../ui/format.ts';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import StateBlock from '../../ui/StateBlock.vue';
import ConversionsHead from './ConversionsHead.vue';

type Row = UnknownKeyRow & { id: string };
const session = useSession();
const toast = useToast();
const all = shallowRef<Row[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const search = ref('');
const chosen = ref<Record<string, string>>({ kind: '' });
const kinds: Record<UnknownKeyRow['kind'], string> = {
  campaign: 'tracking link',
  button: 'button link',
  intake: 'postback URL',
};
const filters = [
  { name: 'kind', label: 'Kind', options: Object.entries(kinds).map(([value, label]) => ({ value, label })) },
];
const rows = computed(() => {
  const words = search.value.trim().toLowerCase();
  return all.value.filter(
    (r) =>
      (!chosen.value.kind || r.kind === chosen.value.kind) &&
      `${r.key} ${r.host}`.toLowerCase().includes(words),
  );
});
const columns: Column<Row>[] = [
  { key: 'last', label: 'Last call', sort: (r) => r.lastAt, fixed: true, csv: (r) => r.lastAt },
  { key: 'kind', label: 'Kind', sort: (r) => kinds[r.kind], csv: (r) => kinds[r.kind] },
  { key: 'key', label: 'Key', sort: (r) => r.key, csv: (r) => r.key },
  { key: 'host', label: 'Called at', sort: (r) => r.host, csv: (r) => r.host },
  { key: 'times', label: 'Calls', num: true, sort: (r) => r.times, csv: (r) => r.times },
  { key: 'country', label: 'Last country', csv: (r) => r.lastCountry },
  { key: 'act', label: '' },
];
async function load(): Promise<void> {
  try {
    const found = await ask('listUnknownKeys');
    all.value = found.map((r) => ({ ...r, id: `${r.kind} ${r.host} ${r.key}` }));
    state.value = 'ready';
  } catch (error) {
    failure.value = (error as Error).message;
    state.value = 'failed';
  }
}
async function dismiss({ kind, key, host }: Row): Promise<void> {
  try {
    await ask('dismissUnknownKey', { body: { kind, key, host } });
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
  }
  await load();
}
onMounted(load);
</script>
<template>
  <ConversionsHead
    v-model:search="search"
    v-model:chosen="chosen"
    title="Unknown keys"
    says="Calls with a key that no campaign, landing page or network has. Correct the link where it was pasted."
    :filters="filters"
  />
  <section class="sheet" aria-label="Unknown keys">
    <ListTable
      :rows="rows"
      :columns="columns"
      :state="state"
      :failure="failure"
      name="unknown-keys"
      label="Unknown keys"
      @again="load"
    >
      <template #empty>
        <StateBlock
          state="empty"
          :title="all.length > 0 ? 'No matching keys' : 'No unknown keys'"
          words="When somebody opens a tracking link or calls a postback URL that does not exist, its key appears here."
        />
      </template>
      <template #last="{ row }"
        ><span class="nowrap">{{ moment(row.lastAt, session.desk.zone) }}</span></template
      >
      <template #kind="{ row }">{{ kinds[row.kind] }}</template>
      <template #key="{ row }"><code>{{ row.key || '(empty)' }}</code></template>
      <template #host="{ row }">{{ row.host || '–' }}</template>
      <template #times="{ row }">{{ row.times }}</template>
      <template #country="{ row }">{{ row.lastCountry ? countryName(row.lastCountry) : '–' }}</template>
      <template #act="{ row }"
        ><Button v-if="session.canEdit" severity="secondary" size="small" @click="dismiss(row)"
          >Dismiss</Button
        ></template
      >
    </ListTable>
  </section>
</template>
<style scoped src="./lists.css"></style>
