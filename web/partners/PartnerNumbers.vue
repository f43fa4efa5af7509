<script setup lang="ts">
/** What the partner's links have brought, by day, offer, event or sub-ID. */
import { computed, ref, watch } from 'vue';
import { localDay, periodDays, type PeriodName } from '@tracheon/core/time';
import type { PartnerNumbersRow } from '@tracheon/core/contract/partnerPage';
import { useAnswer } from '../base/useAnswer.ts';
import { count, dayName, dayRange, money } from '../ui/format.ts';
import ListTable from '../ui/ListTable.vue';
import PageHead from '../ui/PageHead.vue';
import PickOne from '../ui/PickOne.vue';
import SegmentChoice from '../ui/SegmentChoice.vue';
import StateBlock from '../ui/StateBlock.vue';
import type { Column } from '../ui/tableColumns.ts';
import { ask } from './ask.ts';
import { me, zone } from './me.ts';

const periods: { value: PeriodName; label: string }[] = [
  { value: 'today', label: 'Today' },
  { value: '7d', label: '7 days' },
  { value: '30d', label: '30 days' },
  { value: 'this_month', label: 'This month' },
  { value: 'last_month', label: 'Last month' },
];
const period = ref<PeriodName>('30d');
const by = ref('day');
const range = computed(() => periodDays(period.value, localDay(Date.now(), zone.value)));
const {
  answer: numbers,
  failure,
  load,
} = useAnswer(
  () => `${period.value} ${by.value}`,
  () => ask('numbers', { query: { ...range.value, by: by.value } }),
);
/** Known from the first answer on, also while another one is on its way. */
const subs = ref<string[]>([]);
watch(numbers, (now) => now && (subs.value = now.subs));
const groups = computed(() => [
  { value: 'day', label: 'Day' },
  { value: 'offer', label: 'Offer' },
  { value: 'event', label: 'Event' },
  ...subs.value.map((s) => ({ value: `sub_${s}`, label: `Sub-ID ${s}` })),
]);
const groupName = computed(() => groups.value.find((g) => g.value === by.value)?.label ?? '');
const nameOf = ({ name }: PartnerNumbersRow): string =>
  by.value === 'day' ? dayName(name) : name === '' ? '(none)' : name;
const currencies = computed(() => numbers.value?.total.payouts.map((p) => p.currency).sort() ?? []);
const amountOf = (
  row: Pick<PartnerNumbersRow, 'payouts'>,
  currency: string,
  which: 'pending' | 'approved',
): bigint => BigInt(row.payouts.find((p) => p.currency === currency)?.[`${which}Micros`] ?? '0');
const amounts = computed(() =>
  currencies.value.flatMap((currency) => [
    { key: `hold ${currency}`, label: `On hold, ${currency}`, currency, which: 'pending' as const },
    { key: `pay ${currency}`, label: `Payout, ${currency}`, currency, which: 'approved' as const },
  ]),
);
const columns = computed<Column<PartnerNumbersRow>[]>(() => [
  { key: 'name', label: groupName.value, sort: (r) => r.name },
  ...(by.value === 'event'
    ? []
    : [{ key: 'visits', label: 'Visits', num: true, sort: (r: PartnerNumbersRow) => r.visits ?? -1 }]),
  { key: 'conversions', label: 'Conversions', num: true, sort: (r) => r.conversions },
  { key: 'pending', label: 'Pending', num: true, sort: (r) => r.pending },
  { key: 'approved', label: 'Approved', num: true, sort: (r) => r.approved },
  { key: 'rejected', label: 'Rejected', num: true, sort: (r) => r.rejected },
  ...amounts.value.map(({ key, label, currency, which }): Column<PartnerNumbersRow> => ({
    key,
    label,
    num: true,
    sort: (r) => amountOf(r, currency, which),
  })),
]);
const total = computed(() => {
  const t = numbers.value?.total;
  if (!t) return [];
  return [
    ['Visits', t.visits === null ? 'not known now' : count(t.visits)],
    ['Conversions', count(t.conversions)],
    ['Approved', count(t.approved)],
    ['Pending', count(t.pending)],
    ['Rejected', count(t.rejected)],
    ...currencies.value.flatMap((c) => [
      ['Payout', `${money(amountOf(t, c, 'approved'))} ${c}`],
      ['On hold', `${money(amountOf(t, c, 'pending'))} ${c}`],
    ]),
  ];
});
</script>
<template>
  <PageHead
    title="Numbers"
    :says="`${dayRange(range.from, range.to)}, days in ${zone}. Visits count on their day, conversions and payouts on the day of the conversion.`"
  >
    <SegmentChoice v-model="period" :options="periods" label="Period" />
    <PickOne v-model="by" class="by" :options="groups" aria-label="Break down by" />
  </PageHead>
  <StateBlock v-if="failure && !numbers" class="sheet" state="failed" :words="failure" @again="load" />
  <template v-else>
    <dl v-if="numbers" class="total" aria-label="Total">
      <div v-for="[label, value] in total" :key="`${label} ${value}`">
        <dt>{{ label }}</dt>
        <dd>{{ value }}</dd>
      </div>
    </dl>
    <p v-if="numbers && numbers.total.visits === null" class="quiet" role="status">
      Visits can’t be shown right now. Conversions and payouts are complete. Try again in a minute.
    </p>
    <section class="sheet" aria-label="Numbers">
      <ListTable
        :key="by"
        :rows="numbers?.rows ?? []"
        :columns="columns"
        label="Numbers"
        :state="numbers ? 'ready' : 'loading'"
        :row-key="(r: PartnerNumbersRow) => r.id"
        @again="load"
      >
        <template #empty
          ><StateBlock
            state="empty"
            title="Nothing in this period"
            words="When somebody comes by your links, the visit appears here within seconds."
        /></template>
        <template #name="{ row }"><span :class="{ day: by === 'day' }">{{ nameOf(row) }}</span></template>
        <template #visits="{ row }">{{ row.visits === null ? '–' : count(row.visits) }}</template>
        <template #conversions="{ row }">{{ count(row.conversions) }}</template>
        <template #pending="{ row }">{{ count(row.pending) }}</template>
        <template #approved="{ row }">{{ count(row.approved) }}</template>
        <template #rejected="{ row }">{{ count(row.rejected) }}</template>
        <template v-for="a in amounts" :key="a.key" #[a.key]="{ row }">{{
          money(amountOf(row, a.currency, a.which))
        }}</template>
      </ListTable>
    </section>
    <p v-if="numbers?.isCut" class="quiet">Only the first 1 000 rows are shown. Choose a shorter period.</p>
    <p v-if="me" class="quiet foot">A status can still change until a payout is on a statement.</p>
  </template>
</template>
<style scoped>
.day {
  white-space: nowrap;
}
.by {
  width: 170px;
}
.total {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 26px;
  margin: 0 0 12px;
  padding: 8px 0;
  border-bottom: 1px solid var(--hairline);
}
dt {
  font-size: 11.5px;
  color: var(--quiet);
}
dd {
  margin: 0;
  font-size: 16px;
  font-weight: 700;
  font-variant-numeric: tabular-nums;
}
.foot {
  margin-top: 8px;
}
</style>
