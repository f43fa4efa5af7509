<script setup lang="ts">
/** Amounts of the last year that wait for a rate, by currency; nothing is shown while there are none. */
import type { Figures, NumbersAsked } from '@tracheon/core/contract';
import { shiftDay } from '@tracheon/core/time';
import { ref } from 'vue';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { onNews } from '../../app/stream.ts';
import { usePeriod } from '../../shared/period.ts';
import { useIndexed } from '../../shared/useIndexed.ts';
import { money } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';

const DAYS = 365;
const { today } = usePeriod();
const rows = ref<Figures['unconverted']>([]);
const { indexed } = useIndexed(() => void load());
const asks = newest();
function load(): Promise<void> {
  const body = {
    from: shiftDay(today.value, 1 - DAYS),
    to: today.value,
    by: ['month'],
    limit: 1,
  } as NumbersAsked;
  return asks(
    indexed(() => ask('numbersReport', { body })),
    ({ total }) => (rows.value = total.unconverted),
    // The rates below are of use without them.
    () => (rows.value = []),
  );
}
void load();
onNews(['numbers'], load, 5000);
defineExpose({ load });
</script>
<template>
  <section v-if="rows.length > 0" class="sheet" aria-label="Amounts without a rate">
    <h2 class="pad">Amounts without a rate</h2>
    <p class="pad quiet">
      No total includes these amounts. Add a rate from their first day on, and Tracheon converts them.
    </p>
    <ListTable
      :rows="rows"
      :row-key="(r) => r.currency"
      label="Amounts without a rate"
      :columns="[
        { key: 'currency', label: 'Currency' },
        { key: 'earned', label: 'Earned', num: true },
        { key: 'onHold', label: 'On hold', num: true },
        { key: 'spent', label: 'Spent', num: true },
      ]"
    >
      <template #currency="{ row }">{{ row.currency }}</template>
      <template #earned="{ row }">{{ money(row.earnedMicros) }}</template>
      <template #onHold="{ row }">{{ money(row.onHoldMicros) }}</template>
      <template #spent="{ row }">{{ money(row.spentMicros) }}</template>
    </ListTable>
  </section>
</template>
<style scoped>
p {
  margin: 0;
  padding-top: 0;
}
</style>
