<script setup lang="ts">
/** A campaign's figures as a line of plain numbers, a quiet note under each, in the order of every screen. */
import type { Figures } from '@tracheon/core/contract';
import { computed } from 'vue';
import { count, money, percent } from './format.ts';

const props = defineProps<{ figures: Figures; currency: string }>();
const f = computed(() => props.figures);
const sign = (micros: string): string => (BigInt(micros) < 0n ? 'loss' : BigInt(micros) > 0n ? 'gain' : '');
const each = (micros: string | null): string => (micros === null ? '–' : money(micros, 4));
const unconverted = computed(() =>
  f.value.unconverted
    .map(
      (u) =>
        `${money(BigInt(u.spentMicros) + BigInt(u.earnedMicros) + BigInt(u.onHoldMicros))} ${u.currency}`,
    )
    .join(', '),
);
const cells = computed(() => [
  {
    label: 'Profit',
    value: money(f.value.profitMicros, 2, true),
    note: `${props.currency}, expected`,
    tone: sign(f.value.profitMicros),
  },
  {
    label: 'ROI',
    value: percent(f.value.roi, 1, true),
    note: 'of cost',
    tone: f.value.roi === null ? '' : sign(f.value.profitMicros),
  },
  { label: 'Spent', value: money(f.value.spentMicros), note: `bots ${money(f.value.botCostMicros)}` },
  { label: 'Expected', value: money(f.value.expectedMicros), note: 'earned + on hold × approval' },
  { label: 'Earned', value: money(f.value.earnedMicros), note: 'approved' },
  {
    label: 'On hold',
    value: f.value.onHoldMicros === '0' ? '–' : `◌ ${money(f.value.onHoldMicros)}`,
    note: f.value.approval === null ? 'nothing decided yet' : `${percent(f.value.approval, 0)} approved`,
    tone: f.value.onHoldMicros === '0' ? '' : 'hold',
  },
  { label: 'Visits', value: count(f.value.visits), note: `${count(f.value.unique)} unique` },
  {
    label: 'Sent to offer',
    value: count(f.value.sentToOffer),
    note:
      f.value.pageCtr === null
        ? `bots ${count(f.value.bots)} · repeats ${count(f.value.repeats)}`
        : `page CTR ${percent(f.value.pageCtr, 1)}`,
  },
  { label: 'Conversions', value: count(f.value.conversions), note: `CR ${percent(f.value.cr, 2)}` },
  {
    label: 'Per visit',
    value: each(f.value.earnedPerVisitMicros),
    note: `paid ${each(f.value.paidPerVisitMicros)}`,
  },
  { label: 'Per offer click', value: each(f.value.earnedPerOfferClickMicros), note: 'earned, expected' },
]);
</script>
<template>
  <section aria-label="Figures" class="line">
    <dl>
      <div v-for="c in cells" :key="c.label">
        <dt>{{ c.label }}</dt>
        <dd class="value" :class="c.tone">{{ c.value }}</dd>
        <dd class="note">{{ c.note }}</dd>
      </div>
    </dl>
    <p v-if="unconverted" class="quiet">
      Not included because an exchange rate is missing: {{ unconverted }}.
      <RouterLink to="/settings">Enter a rate</RouterLink>
    </p>
  </section>
</template>
<style scoped>
.line {
  border-top: 2px solid var(--ink);
  border-bottom: 1px solid var(--hairline);
  padding: 8px 0;
}
dl {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 20px;
  justify-content: space-between;
  margin: 0;
}
dt,
.note {
  font-size: 11.5px;
  color: var(--quiet);
}
dd {
  margin: 0;
}
.value {
  font-size: 16px;
  font-weight: 700;
  font-variant-numeric: tabular-nums;
  white-space: nowrap;
}
.gain {
  color: var(--gain);
}
.loss {
  color: var(--loss);
}
</style>
