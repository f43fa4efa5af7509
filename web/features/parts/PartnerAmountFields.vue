<script setup lang="ts">
/** What a partner gets for one conversion: an amount in the offer's currency, or a share of the revenue. */
import type { PartnerAmount } from '@tracheon/core/contract';
import AmountInput from '../../ui/AmountInput.vue';
import PickOne from '../../ui/PickOne.vue';

defineProps<{
  currency: string;
  /** Whose amount it is, for screen readers: `of partner payout 1`. */
  of: string;
  amountError: string | undefined;
  percentError: string | undefined;
}>();
const amount = defineModel<PartnerAmount>({ required: true });
</script>
<template>
  <PickOne
    v-model="amount.pays"
    :aria-label="`Kind ${of}`"
    :options="[
      { value: 'fixed', label: 'fixed amount' },
      { value: 'share', label: 'share of revenue' },
      { value: 'sale', label: 'share of the sale' },
    ]"
  />
  <label v-if="amount.pays === 'fixed'" class="row small"
    ><AmountInput v-model="amount.amountMicros" :label="`Amount ${of}`" :invalid="!!amountError" />
    {{ currency }}</label
  >
  <label v-else class="row small"
    ><AmountInput v-model="amount.percent" :label="`Share ${of}`" :invalid="!!percentError" /> %</label
  >
</template>
<style scoped>
.row {
  flex-wrap: nowrap;
}
.row :deep(input) {
  width: 84px;
}
</style>
