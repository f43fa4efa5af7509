<script setup lang="ts">
/** Which browsers' pixels could be matched, and what was lost with the others. */
import type { NetworkSeen } from '@tracheon/core/contract';
import { computed } from 'vue';
import { count, money, percent } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';

const props = defineProps<{ pixels: NetworkSeen['pixels'] }>();
type Pixels = NetworkSeen['pixels'][number];
const rows = computed(() => props.pixels.map((p) => ({ ...p, id: p.browser })));
const all = computed(() => props.pixels.reduce((n, p) => n + p.count, 0));
const lost = computed(() => props.pixels.reduce((n, p) => n + p.lost, 0));
const sums = ({ lostSums }: Pixels): string =>
  lostSums.map((s) => `${money(s.micros)} ${s.currency}`.trim()).join(', ');
</script>
<template>
  <div>
    <p class="says">
      <strong>Pixels of the last 30 days: {{ count(all) }}.</strong>
      <template v-if="lost === 0"> Tracheon matched all of them with a visit.</template>
      <template v-else>
        {{ percent(lost / all, 0) }} carried neither a click ID nor a cookie. Tracheon could not match
        them.</template
      >
    </p>
    <ListTable
      :rows="rows"
      label="Pixels by browser"
      :columns="[
        { key: 'browser', label: 'Browser' },
        { key: 'count', label: 'Pixels', num: true },
        { key: 'byTag', label: 'By click ID', num: true },
        { key: 'byCookie', label: 'By cookie', num: true },
        { key: 'lost', label: 'Lost', num: true },
        { key: 'sum', label: 'Lost amount', num: true },
      ]"
    >
      <template #browser="{ row }">{{ row.browser || 'unknown' }}</template>
      <template #count="{ row }">{{ count(row.count) }}</template>
      <template #byTag="{ row }">{{ count(row.byTag) }}</template>
      <template #byCookie="{ row }">{{ count(row.byCookie) }}</template>
      <template #lost="{ row }">{{ count(row.lost) }}</template>
      <template #sum="{ row }">{{ sums(row) || '–' }}</template>
    </ListTable>
  </div>
</template>
<style scoped>
.says {
  font-size: 12px;
  margin: 0;
}
</style>
