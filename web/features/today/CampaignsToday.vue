<script setup lang="ts">
import type { CampaignsReport } from '@tracheon/core/contract';
import { computed } from 'vue';
import { useParts } from '../../app/parts.ts';
import { count } from '../../shared/format.ts';
import ProfitBar from '../../shared/ProfitBar.vue';
import SignedMoney from '../../shared/SignedMoney.vue';

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
  <p v-if="rows.length === 0" class="quiet pad">No visit today yet.</p>
  <div v-else class="scroll" tabindex="0" role="region" aria-label="Campaigns today, table">
    <table>
      <thead>
        <tr>
          <th scope="col">Campaign</th>
          <th scope="col" class="num">Profit</th>
          <th scope="col"><span class="visually-hidden">Profit bar</span></th>
          <th scope="col" class="num">Visits</th>
          <th scope="col" class="num">Conv.</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in rows" :key="r.campaignId">
          <td>
            <RouterLink :to="`/campaigns/${r.campaignId}`">{{ r.name }}</RouterLink>
          </td>
          <td class="num"><SignedMoney :micros="r.figures.profitMicros" /></td>
          <td>
            <ProfitBar
              :micros="r.figures.profitMicros"
              :most="Math.max(...profits)"
              :least="Math.min(...profits)"
            />
          </td>
          <td class="num">{{ count(r.figures.visits) }}</td>
          <td class="num">{{ count(r.figures.conversions) }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
<style scoped>
.scroll {
  overflow-x: auto;
}
</style>
