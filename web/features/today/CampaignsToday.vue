<script setup lang="ts">
/** Today's campaigns: those that earn or lose most, and where each comes from. */
import ListTable, { type Column } from '../../ui/ListTable.vue';
import type { CampaignsReport } from '@tracheon/core/contract';
import { computed } from 'vue';
import { useParts } from '../../app/parts.ts';
import { count } from '../../ui/format.ts';
import ProfitBar from '../../ui/ProfitBar.vue';
import SignedMoney from '../../ui/SignedMoney.vue';
import TrendBars from '../../ui/TrendBars.vue';

const props = defineProps<{ report: CampaignsReport }>();
const parts = useParts();
/** More than these are the matter of the list of campaigns. */
const MOST_ROWS = 12;
type Row = CampaignsReport['rows'][number] & { name: string };
const profitOf = (r: Row): number => Number(r.figures.profitMicros ?? 0);
const all = computed<Row[]>(() =>
  props.report.rows
    // A day without visits and conversions is no row of today.
    .filter((r) => r.figures.visits + r.figures.bots + r.figures.conversions > 0)
    .map((r) => ({ ...r, name: nameOf(r.campaignId) })),
);
/** What partners brought has no campaign. */
const nameOf = (id: string): string =>
  id === '' ? 'Partners, without a campaign' : (parts.one('campaign', id)?.body.name ?? '…');
const rows = computed(() =>
  [...all.value].sort((a, b) => Math.abs(profitOf(b)) - Math.abs(profitOf(a))).slice(0, MOST_ROWS),
);
const profits = computed(() => rows.value.map(profitOf));
const columns: Column<Row>[] = [
  { key: 'name', label: 'Campaign', sort: (r) => r.name },
  { key: 'profit', label: 'Profit', num: true, sort: profitOf },
  { key: 'bar', label: '(Profit bar)' },
  { key: 'trend', label: 'Last 14 days', explain: 'Profit of each of the last 14 days' },
  { key: 'visits', label: 'Visits', num: true, sort: (r) => r.figures.visits },
  { key: 'conversions', label: 'Conv.', num: true, sort: (r) => r.figures.conversions },
];
</script>
<template>
  <p v-if="rows.length === 0" class="quiet pad">
    No visits today yet. When a visitor opens a tracking link, its campaign appears here within two seconds.
    <RouterLink to="/campaigns">Copy a tracking link</RouterLink>
  </p>
  <div v-else class="scroll" tabindex="0" role="region" aria-label="Campaigns today, table">
    <ListTable
      :rows="rows"
      :row-key="(r) => r.campaignId"
      label="Campaigns today"
      :columns="columns"
      sort-by="-profit"
    >
      <template #name="{ row }"
        ><RouterLink v-if="row.campaignId" :to="`/campaigns/${row.campaignId}`">{{ row.name }}</RouterLink
        ><template v-else>{{ row.name }}</template></template
      >
      <template #profit="{ row }"><SignedMoney :micros="row.figures.profitMicros" /></template>
      <template #bar="{ row }"
        ><ProfitBar
          :micros="row.figures.profitMicros"
          :most="Math.max(...profits)"
          :least="Math.min(...profits)"
      /></template>
      <template #trend="{ row }"
        ><TrendBars :values="row.trend" :label="`Profit of the last 14 days of ${row.name}`"
      /></template>
      <template #visits="{ row }">{{ count(row.figures.visits) }}</template>
      <template #conversions="{ row }">{{ count(row.figures.conversions) }}</template>
    </ListTable>
    <p v-if="all.length > rows.length" class="pad">
      <RouterLink to="/campaigns">Show all {{ all.length }} campaigns</RouterLink>
    </p>
  </div>
</template>
<style scoped>
.scroll {
  overflow-x: auto;
}
</style>
