<script setup lang="ts">
/** What is or was on the lists of a source: when, by whom, why, and what it saves. */
import Button from 'primevue/button';
import type { ListEntry } from '@tracheon/core/contract';
import { computed, ref } from 'vue';
import { useSession } from '../../../app/session.ts';
import { moment, money } from '../../../ui/format.ts';
import ListTable, { type Column } from '../../../ui/ListTable.vue';
import StateBlock from '../../../ui/StateBlock.vue';

const props = defineProps<{
  entries: ListEntry[];
  sub: string;
  search: string;
  remove: (ids: string[]) => Promise<void>;
}>();
const session = useSession();
const chosen = ref<string[]>([]);
const problem = ref('');
const saved = (e: ListEntry): string =>
  e.profitPerDayMicros === null ? '–' : money(-BigInt(e.profitPerDayMicros), 2);
const columns: Column<ListEntry>[] = [
  { key: 'value', label: props.sub, sort: (e) => e.value, fixed: true },
  { key: 'list', label: 'List', sort: (e) => e.list },
  { key: 'at', label: 'Added', sort: (e) => e.at },
  { key: 'by', label: 'By', sort: (e) => e.by },
  { key: 'reason', label: 'Reason', sort: (e) => e.reason },
  {
    key: 'saved',
    label: 'Loss per day before',
    num: true,
    explain: 'What it lost in a day, in the period by which it was chosen',
    sort: (e) => -Number(e.profitPerDayMicros ?? 0),
    csv: saved,
  },
  { key: 'removed', label: 'Taken off', sort: (e) => e.removedAt ?? '' },
];
const removable = computed(() =>
  props.entries.filter((e) => e.removedAt === null && chosen.value.includes(e.id)),
);
async function takeOff(): Promise<void> {
  problem.value = '';
  try {
    await props.remove(removable.value.map((e) => e.id));
    chosen.value = [];
  } catch (error) {
    problem.value = (error as Error).message;
  }
}
</script>
<template>
  <div v-if="session.canEdit && entries.length > 0" class="row pad">
    <Button severity="secondary" :disabled="removable.length === 0" @click="takeOff"
      >Take {{ removable.length }} off the list</Button
    >
    <span class="quiet">Entries stay in the history. Remove the values at the source, too.</span>
  </div>
  <p v-if="problem" class="error pad" role="alert">{{ problem }}</p>
  <ListTable
    v-model:chosen="chosen"
    :rows="entries"
    :columns="columns"
    :row-key="(e) => e.id"
    :choose-as="(e) => `${e.value}, ${e.list} list`"
    :search="search"
    :text="(e) => `${e.value} ${e.reason} ${e.by}`"
    name="source-lists"
    label="Block and allow lists"
    sort-by="-at"
  >
    <template #empty>
      <StateBlock
        state="empty"
        title="No value is on a list yet"
        words="Choose values under Values, then add them to the block list. Tracheon keeps the reason, who added them and when."
      />
    </template>
    <template #value="{ row }"><code>{{ row.value }}</code></template>
    <template #list="{ row }">{{ row.list }} list</template>
    <template #at="{ row }">{{ moment(row.at, session.desk.zone) }}</template>
    <template #by="{ row }">{{ row.by }}</template>
    <template #reason="{ row }">{{ row.reason }}</template>
    <template #saved="{ row }">{{ saved(row) }}</template>
    <template #removed="{ row }">{{
      row.removedAt === null ? '' : `${moment(row.removedAt, session.desk.zone)}, ${row.removedBy}`
    }}</template>
  </ListTable>
</template>
