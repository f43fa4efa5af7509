<script setup lang="ts">
/** The values of a source, from the largest loss to the largest profit, each with its verdict and why. */
import type { CutListRow } from '@tracheon/core/contract';
import { verdictLabels, verdictReason } from '@tracheon/core/metrics';
import { computed } from 'vue';
import { figureColumns, figureText } from '../../../ui/figureColumns.ts';
import { percent } from '../../../ui/format.ts';
import ListTable, { type Column } from '../../../ui/ListTable.vue';
import ProfitBar from '../../../ui/ProfitBar.vue';
import SignedMoney from '../../../ui/SignedMoney.vue';
import StateBlock from '../../../ui/StateBlock.vue';
import { bidText } from '../../../ui/verdictLines.ts';
import VerdictMark from '../../../ui/VerdictMark.vue';

const props = defineProps<{
  rows: CutListRow[];
  sub: string;
  state: 'loading' | 'ready' | 'failed';
  failure: string;
  currency: string;
  search: string;
}>();
defineEmits<{ again: [] }>();
const chosen = defineModel<string[]>('chosen', { required: true });
const plain = ['spentMicros', 'visits', 'conversions', 'expectedMicros'] as const;
const bid = (r: CutListRow): string =>
  r.verdict.breakEvenMicros === null ? '–' : bidText(r.verdict.breakEvenMicros, r.verdict, props.currency);
const columns = computed<Column<CutListRow>[]>(() => [
  { key: 'value', label: props.sub, sort: (r) => r.value, fixed: true },
  {
    key: 'verdict',
    label: 'Verdict',
    sort: (r) => r.verdict.kind,
    csv: (r) => verdictLabels[r.verdict.kind],
  },
  { key: 'why', label: 'Why', csv: (r) => verdictReason(r.verdict) },
  ...figureColumns<CutListRow>([...plain, 'profitMicros'], (r) => r.figures).map((c) =>
    c.key === 'visits' ? { ...c, optional: true } : c,
  ),
  { key: 'bar', label: '(Profit bar)' },
  {
    key: 'chance',
    label: 'Chance of profit',
    num: true,
    explain: 'How sure it is that these visits earn more than they cost',
    sort: (r) => r.verdict.chance ?? -1,
  },
  {
    key: 'bid',
    label: 'Break-even bid',
    num: true,
    explain: 'Bid at which revenue covers cost, as the source bills it',
    sort: (r) => Number(r.verdict.breakEvenMicros ?? -1),
    csv: bid,
  },
  { key: 'list', label: 'List', sort: (r) => r.list },
]);
const profits = computed(() => props.rows.map((r) => Number(r.figures.profitMicros ?? 0)));
</script>
<template>
  <ListTable
    v-model:chosen="chosen"
    :rows="rows"
    :columns="columns"
    :state="state"
    :failure="failure"
    :row-key="(r) => r.value"
    :choose-as="(r) => r.value"
    :search="search"
    :text="(r) => r.value"
    name="cut-list"
    label="Cut list"
    sort-by="profitMicros"
    @again="$emit('again')"
  >
    <template #empty>
      <StateBlock
        state="empty"
        :title="`No visit named a ${sub} in this period`"
        words="Choose a longer period, or check that the tracking link at the source carries this sub-ID."
      />
    </template>
    <template #value="{ row }"><code>{{ row.value }}</code></template>
    <template #verdict="{ row }"
      ><VerdictMark :verdict="row.verdict" :of="row.value" :currency="currency"
    /></template>
    <template #why="{ row }"><span class="quiet why">{{ verdictReason(row.verdict) }}</span></template>
    <template v-for="name in plain" :key="name" #[name]="{ row }">{{
      figureText(name, row.figures)
    }}</template>
    <template #profitMicros="{ row }"><SignedMoney :micros="row.figures.profitMicros" /></template>
    <template #bar="{ row }"
      ><ProfitBar
        :micros="row.figures.profitMicros"
        :most="Math.max(0, ...profits)"
        :least="Math.min(0, ...profits)"
    /></template>
    <template #chance="{ row }">{{ percent(row.verdict.chance, 1) }}</template>
    <template #bid="{ row }">{{ bid(row) }}</template>
    <template #list="{ row }">{{ row.list === '' ? '' : `${row.list} list` }}</template>
  </ListTable>
</template>
<style scoped>
.why {
  display: inline-block;
  width: 170px;
  white-space: normal;
}
</style>
