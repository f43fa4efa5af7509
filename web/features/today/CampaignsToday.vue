<script setup lang="ts">
import ListTable from '../../ui/ListTable.vue';
import type { CampaignsReport } from '@tracheon/core/contract';
import { computed } from 'vue';
import { useParts } from '../../app/parts.ts';
import { count } from '../../ui/format.ts';
import ProfitBar from '../../ui/ProfitBar.vue';
import SignedMoney from '../../ui/SignedMoney.vue';

const props = defineProps<{ report: CampaignsReport }>();
const parts = useParts();
const rows = computed(() =>
  [...props.report.rows]
    .map((r) => ({ ...r, name: parts.one('campaign', r.campaignId)?.body.name ?? '…' }))
    .sort((a, b) => Number(BigInt(b.figures.profitMicros) - BigInt(a.figures.profitMicros))),
);
const profits = computed(() => rows.value.map((r) => Number(r.figures.profitMicros)));
</script>
<template>
  <p v-if="rows.length === 0" class="quiet pad">No visits today yet.</p>
  <div v-else class="scroll" tabindex="0" role="region" aria-label="Campaigns today, table">
    <ListTable
      :rows="rows"
      :row-key="(r) => r.campaignId"
      label="Campaigns today"
      :columns="[
        { key: 'name', label: 'Campaign', sort: (r) => r.name },
        { key: 'profit', label: 'Profit', num: true, sort: (r) => BigInt(r.figures.profitMicros) },
        { key: 'bar', label: '(Profit bar)' },
        { key: 'visits', label: 'Visits', num: true, sort: (r) => r.figures.visits },
        { key: 'conversions', label: 'Conv.', num: true, sort: (r) => r.figures.conversions },
      ]"
    >
      <template #name="{ row }"
        ><RouterLink :to="`/campaigns/${row.campaignId}`">{{ row.name }}</RouterLink></template
      >
      <template #profit="{ row }"><SignedMoney :micros="row.figures.profitMicros" /></template>
      <template #bar="{ row }"
        ><ProfitBar
          :micros="row.figures.profitMicros"
          :most="Math.max(...profits)"
          :least="Math.min(...profits)"
      /></template>
      <template #visits="{ row }">{{ count(row.figures.visits) }}</template>
      <template #conversions="{ row }">{{ count(row.figures.conversions) }}</template>
    </ListTable>
  </div>
</template>
<style scoped>
.scroll {
  overflow-x: auto;
}
</style>
