<script setup lang="ts">
/** How networks decide on conversions: approval rate, scrub, and how long visitors and networks take. */
import Button from 'primevue/button';
import type { DecisionRow, DecisionsReport, DecisionSubject } from '@tracheon/core/contract';
import { shiftDay } from '@tracheon/core/time';
import { computed, ref, shallowRef, watch } from 'vue';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { onNews } from '../../app/stream.ts';
import PeriodChoice from '../../shared/PeriodChoice.vue';
import { usePeriod } from '../../shared/period.ts';
import { count, dayRange, percent } from '../../ui/format.ts';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import SegmentChoice from '../../ui/SegmentChoice.vue';
import StateBlock from '../../ui/StateBlock.vue';
import { approvalOf, decidedOf, duration, scrubOf } from './decisionWords.ts';
import MoneyNav from './MoneyNav.vue';

const { range } = usePeriod();
const by = ref<DecisionSubject>('offer');
const report = shallowRef<DecisionsReport | null>(null);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const chosen = ref('');
const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('decisionsReport', { query: { ...range.value, by: by.value } }),
    (found) => {
      report.value = found;
      state.value = 'ready';
    },
    (why) => {
      failure.value = why;
      state.value = 'failed';
    },
  );
watch([range, by], load, { immediate: true });
onNews(['conversions'], load, 2000);
const words: Record<DecisionSubject, string> = { offer: 'Offer', source: 'Source', network: 'Network' };
const subjects = (Object.keys(words) as DecisionSubject[]).map((value) => ({
  value,
  label: `by ${words[value].toLowerCase()}`,
}));
const nameOf = (row: DecisionRow): string =>
  row.name || (by.value === 'source' ? 'Partners, without a source' : 'Without an offer');

type Line = Omit<DecisionRow, 'id' | 'name' | 'weeks'> & { id: string };
const figures: Column<Line>[] = [
  { key: 'conversions', label: 'Conversions', num: true, sort: (r) => r.conversions },
  { key: 'pending', label: 'Pending', num: true, sort: (r) => r.pending },
  {
    key: 'approval',
    label: 'Approval rate',
    num: true,
    sort: (r) => approvalOf(r) ?? -1,
    explain: 'Approved ÷ decided. Decided are approved, rejected and reversed conversions.',
  },
  {
    key: 'scrub',
    label: 'Scrub',
    num: true,
    sort: (r) => scrubOf(r) ?? -1,
    explain: 'Rejected and reversed ÷ decided',
  },
  { key: 'reversed', label: 'Of which reversed', num: true, sort: (r) => r.reversed },
  {
    key: 'convert',
    label: 'Visit to conversion',
    num: true,
    sort: (r) => r.hoursToConvert ?? -1,
    explain: 'Median time from the visit to the conversion',
  },
  {
    key: 'decide',
    label: 'Conversion to decision',
    num: true,
    sort: (r) => r.hoursToDecide ?? -1,
    explain: 'Median time from the conversion to the network’s decision, of conversions that were pending',
  },
];
const columns = computed<Column<DecisionRow>[]>(() => [
  { key: 'name', label: words[by.value], sort: (r) => nameOf(r) },
  ...(figures as Column<DecisionRow>[]),
]);
const weekColumns: Column<Line>[] = [{ key: 'week', label: 'Week', sort: (r) => r.id }, ...figures];
const opened = computed(() => report.value?.rows.find((r) => r.id === chosen.value) ?? report.value?.rows[0]);
const weeks = computed<Line[]>(() => (opened.value?.weeks ?? []).map((w) => ({ ...w, id: w.week })));
const text = {
  conversions: (r: Line) => count(r.conversions),
  pending: (r: Line) => count(r.pending),
  approval: (r: Line) => percent(approvalOf(r)),
  scrub: (r: Line) => percent(scrubOf(r)),
  reversed: (r: Line) => count(r.reversed),
  convert: (r: Line) => duration(r.hoursToConvert),
  decide: (r: Line) => duration(r.hoursToDecide),
};
/** On so few decided conversions a rate says little. */
const FEW = 30;
const isThin = (r: Line, key: string): boolean =>
  (key === 'approval' || key === 'scrub') && decidedOf(r) < FEW;
</script>
<template>
  <PageHead
    title="Approval and delay"
    says="How your networks decide on conversions, and how long it takes. Days are those of the conversion, in the network’s time zone."
  >
    <PeriodChoice />
  </PageHead>
  <div class="row bar">
    <MoneyNav />
    <SegmentChoice v-model="by" :options="subjects" label="Grouped" />
  </div>
  <StateBlock v-if="state === 'failed'" class="sheet" state="failed" :words="failure" @again="load" />
  <StateBlock v-else-if="!report" class="sheet" state="loading" />
  <StateBlock
    v-else-if="report.rows.length === 0"
    state="empty"
    title="No conversions in this period"
    words="When a network reports conversions and decides on them, this page shows the approval rate and the delay. Choose a longer period."
  />
  <template v-else>
    <section class="sheet" :aria-label="`Decisions by ${by}`">
      <ListTable :rows="report.rows" :label="`Decisions by ${by}`" :columns="columns" sort-by="-conversions">
        <template #name="{ row }"
          ><Button variant="link" :aria-pressed="row.id === opened?.id" @click="chosen = row.id">{{
            nameOf(row)
          }}</Button></template
        >
        <template v-for="c in figures" :key="c.key" #[c.key]="{ row }"
          ><span :class="{ quiet: isThin(row, c.key) }">{{
            text[c.key as keyof typeof text](row)
          }}</span></template
        >
      </ListTable>
    </section>
    <section v-if="opened" class="sheet weeks" :aria-label="`Weeks of ${nameOf(opened)}`">
      <h2>{{ nameOf(opened) }}, by week</h2>
      <ListTable :rows="weeks" :label="`Weeks of ${nameOf(opened)}`" :columns="weekColumns" sort-by="-week">
        <template #week="{ row }">{{ dayRange(row.id, shiftDay(row.id, 6)) }}</template>
        <template v-for="c in figures" :key="c.key" #[c.key]="{ row }"
          ><span :class="{ quiet: isThin(row, c.key) }">{{
            text[c.key as keyof typeof text](row)
          }}</span></template
        >
      </ListTable>
    </section>
    <p class="quiet">
      This page counts conversions, not money. Rates on fewer than {{ FEW }} decided conversions are gray:
      they say little yet.
    </p>
  </template>
</template>
<style scoped>
.bar {
  justify-content: space-between;
  flex-wrap: wrap;
  margin-bottom: 10px;
}
.weeks {
  margin-top: 10px;
}
h2 {
  font-size: 14px;
  margin: 0;
  padding: 10px 12px 4px;
}
</style>
