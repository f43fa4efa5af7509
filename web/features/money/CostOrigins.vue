<script setup lang="ts">
/** Where the cost of each source comes from: files, feeds, links, an estimate by the cost model, or what partners get. */
import type { NumbersAnswer, NumbersAsked } from '@tracheon/core/contract';
import type { FigureName } from '@tracheon/core/metrics';
import { computed, ref, shallowRef, watch } from 'vue';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { onNews } from '../../app/stream.ts';
import BuildingNote from '../../shared/BuildingNote.vue';
import { usePeriod } from '../../shared/period.ts';
import { useIndexed } from '../../shared/useIndexed.ts';
import { figureColumns, figureText } from '../../ui/figureColumns.ts';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import StateBlock from '../../ui/StateBlock.vue';
import { costShares } from './costShares.ts';

const { range } = usePeriod();
const answer = shallowRef<NumbersAnswer | null>(null);
const failure = ref('');
const { building, indexed } = useIndexed(() => void load());
const asks = newest();
function load(): Promise<void> {
  const body = { ...range.value, by: ['source_id'], sort: 'spentMicros', limit: 100 } as NumbersAsked;
  return asks(
    indexed(() => ask('numbersReport', { body })),
    (found) => {
      answer.value = found;
      failure.value = '';
    },
    (why) => (failure.value = why),
  );
}
watch(range, load, { immediate: true });
onNews(['numbers'], load, 5000);

type Row = NumbersAnswer['rows'][number];
const figures = [
  'spentMicros',
  'fileCostMicros',
  'feedCostMicros',
  'linkCostMicros',
  'estimatedCostMicros',
  'partnerMicros',
  'botCostMicros',
  'withoutCost',
] as const satisfies FigureName[];
const columns: Column<Row>[] = [
  { key: 'name', label: 'Source', sort: (r) => r.names[0]!, fixed: true },
  ...figureColumns<Row>(figures, (r) => r.figures),
];
const rows = computed(() => answer.value?.rows.filter((r) => r.values[0] !== '') ?? []);
const summary = computed(() => (answer.value ? costShares(answer.value.total) : ''));
</script>
<template>
  <section class="sheet" aria-label="Where cost comes from">
    <div class="row pad">
      <h2>Where cost comes from</h2>
      <span v-if="answer" class="quiet">{{ answer.currency }} · {{ summary }}</span>
    </div>
    <BuildingNote v-if="building" :building="building" />
    <StateBlock v-else-if="failure" state="failed" :words="failure" @again="load" />
    <ListTable
      v-else
      :rows="rows"
      :columns="columns"
      :row-key="(r) => r.values[0]!"
      :state="answer ? 'ready' : 'loading'"
      name="cost-origins"
      label="Cost by source"
      sort-by="-spentMicros"
    >
      <template #empty
        ><StateBlock
          state="empty"
          title="No cost in this period"
          words="Choose another period, or add what your sources billed."
      /></template>
      <template #name="{ row }">{{ row.names[0] }}</template>
      <template v-for="name in figures" :key="name" #[name]="{ row }">{{
        figureText(name, row.figures)
      }}</template>
    </ListTable>
  </section>
</template>
