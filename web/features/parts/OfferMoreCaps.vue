<script setup lang="ts">
/** Caps of an offer by money and by partner. */
import { capMeasures, capPeriods, type MoreCap, type OfferInput } from '@tracheon/core/contract';
import { computed } from 'vue';
import { useParts } from '../../app/parts.ts';
import AmountInput from '../../ui/AmountInput.vue';
import NumberField from '../../ui/NumberField.vue';
import PickOne from '../../ui/PickOne.vue';
import RowsField from '../../ui/RowsField.vue';
import { newRow } from '../../shared/newRows.ts';

const body = defineModel<OfferInput>({ required: true });
defineProps<{ error: (path: string) => string | undefined }>();
const parts = useParts();
/** One field for both: everybody, each partner, or one of them. */
const owners = computed(() => [
  { value: 'all', label: 'all visitors together' },
  { value: 'each', label: 'each partner' },
  ...parts.of('partner').map((p) => ({ value: p.id, label: p.body.name })),
]);
const ownerOf = (row: MoreCap): string => (row.who === 'one' ? row.partnerId : row.who);
function own(row: MoreCap, value: string): void {
  row.who = value === 'all' || value === 'each' ? value : 'one';
  row.partnerId = row.who === 'one' ? value : '';
}
const measureWords = { conversions: 'conversions', revenue: 'revenue', payout: 'partner payouts' };
const measures = capMeasures.map((value) => ({ value, label: measureWords[value] }));
const periods = capPeriods.map((value) => ({
  value,
  label: value === 'total' ? 'in total' : `per ${value}`,
}));
const errorOf = (error: (path: string) => string | undefined, i: number): string | undefined =>
  ['partnerId', 'count', 'amountMicros'].map((f) => error(`moreCaps.${i}.${f}`)).find(Boolean);
</script>
<template>
  <RowsField
    v-slot="{ row, i }"
    v-model="body.moreCaps"
    add="Add cap by money or partner"
    one="cap"
    title="More caps"
    hint="When one of these caps is reached, further visitors go to the fallback until the period ends."
    :make="newRow.moreCap"
  >
    <div class="line">
      <PickOne
        :model-value="ownerOf(row)"
        :options="owners"
        :aria-label="`Whose cap ${i + 1}`"
        @update:model-value="(value) => own(row, String(value))"
      />
      <NumberField
        v-if="row.measure === 'conversions'"
        v-model="row.count"
        min="0"
        :aria-label="`Number of cap ${i + 1}`"
        :invalid="!!error(`moreCaps.${i}.count`)"
      />
      <AmountInput
        v-else
        v-model="row.amountMicros"
        :label="`Amount of cap ${i + 1}`"
        :invalid="!!error(`moreCaps.${i}.amountMicros`)"
      />
      <span v-if="row.measure !== 'conversions'">{{ body.currency }}</span>
      <PickOne v-model="row.measure" :options="measures" :aria-label="`What cap ${i + 1} counts`" />
      <PickOne v-model="row.period" :options="periods" :aria-label="`Period of cap ${i + 1}`" />
      <p v-if="errorOf(error, i)" class="error small">{{ errorOf(error, i) }}</p>
    </div>
  </RowsField>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  width: 100%;
}
.line > :deep(.p-select) {
  flex: 1 1 130px;
}
.line > :deep(.p-inputnumber),
.line > :deep(.p-inputtext) {
  width: 90px;
}
.line > p {
  flex-basis: 100%;
  margin: 0;
}
</style>
