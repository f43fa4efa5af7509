<script setup lang="ts">
/** What a day of testing costs and buys, when it can be judged, and which bid breaks even. */
import NumberField from '../../ui/NumberField.vue';
import type { SheetBody } from '@tracheon/core/contract';
import { budget } from '@tracheon/core/metrics';
import { computed } from 'vue';
import { useSession } from '../../app/session.ts';
import AmountInput from '../../ui/AmountInput.vue';
import { counted, money, percent } from '../../ui/format.ts';
import type { Chain } from './useChain.ts';

const body = defineModel<SheetBody>({ required: true });
const props = defineProps<{ chain: Chain }>();
const session = useSession();
const micros = (text: string): bigint => (/^\d+$/.test(text) ? BigInt(text) : 0n);
const payout = computed(() => micros(props.chain.offer.value.payoutMicros));
const currency = computed(() => props.chain.offer.value.currency || session.desk.currency);
const told = computed(() => {
  const source = props.chain.source.value?.body;
  return budget({
    payoutMicros: payout.value,
    factor: Number(body.value.budgetFactor) || 0,
    bidMicros: micros(body.value.bidMicros),
    cr: (Number(body.value.guessedPerMille) || 0) / 1000,
    billedPerArrived: Number(source?.billedPerArrived ?? '1000000') / 1_000_000,
    fee: Number(source?.feePercent ?? '0') / 100_000_000,
  });
});
const differs = computed(() => {
  const bill = props.chain.source.value?.body.costCurrency;
  return bill !== undefined && bill !== currency.value ? bill : '';
});
const days = (n: number): string => {
  if (n >= 365) return 'more than a year';
  const whole = Math.max(1, Math.ceil(n));
  return whole === 1 ? 'a day' : `${whole} days`;
};
const says = computed(() => {
  const t = told.value;
  if (payout.value === 0n) return ['Enter a payout to calculate a daily test budget.'];
  const said = [`${money(t.perDayMicros)} ${currency.value} per day`];
  if (t.visitsPerDay === null)
    return [...said, 'enter a bid to see how many visits it buys and how long the test takes'];
  said.push(`about ${counted(t.visitsPerDay, 'visit')}`);
  said.push(`breaks even at a CR of ${percent(t.breakEvenCr, 2)}`);
  if (t.daysToCut !== null) said.push(`if nothing converts, you know after ${days(t.daysToCut)}`);
  if (t.daysToKeep !== null) said.push(`at the CR you expect, you know after ${days(t.daysToKeep)}`);
  return said;
});
</script>
<template>
  <div class="budget">
    <strong>Test budget</strong>
    <span class="asks">
      <label
        ><NumberField
          v-model="body.budgetFactor"
          min="0"
          max="1000"
          step="0.5"
          class="few"
          aria-label="Payouts per day"
        />
        payouts per day</label
      >
      <label
        >at a bid of <span class="amount"><AmountInput v-model="body.bidMicros" label="Bid per visit" /></span
        ><span v-if="differs" class="quiet"
          >calculated in {{ currency }}; the source bills in {{ differs }}</span
        ></label
      >
      <label
        >if
        <NumberField
          v-model="body.guessedPerMille"
          min="0"
          max="1000"
          step="0.1"
          class="few"
          aria-label="Expected conversions per 1 000 visits"
        />
        of 1 000 visits convert</label
      >
    </span>
    <p class="says" role="status">
      {{ says.join(' · ') }}
      <template v-if="told.breakEvenBidMicros !== null && payout > 0n">
        · break-even bid {{ money(told.breakEvenBidMicros, 4) }} {{ currency }}</template
      >
    </p>
  </div>
</template>
<style scoped>
.budget {
  border-top: 1px solid var(--hairline);
  padding-top: 8px;
  display: grid;
  grid-template-columns: 110px 1fr;
  gap: 4px 10px;
  align-items: center;
}
.asks {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 16px;
}
.asks label {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}
.few {
  width: 68px;
}
.amount {
  width: 90px;
}
.says {
  grid-column: 2;
  color: var(--quiet);
  font-variant-numeric: tabular-nums;
}
@media (max-width: 640px) {
  .budget {
    grid-template-columns: 1fr;
  }
  .says {
    grid-column: 1;
  }
}
</style>
