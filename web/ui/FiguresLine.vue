<script setup lang="ts">
/** A campaign's figures as a line of plain numbers, a quiet note under each, in the order of every screen. */
import type { Figures, VerdictAnswer } from '@tracheon/core/contract';
import { verdictReason } from '@tracheon/core/metrics';
import { computed } from 'vue';
import { changeWords, figureCells } from './figureCells.ts';
import { money } from './format.ts';
import VerdictMark from './VerdictMark.vue';

const props = defineProps<{
  figures: Figures;
  currency: string;
  /** Of the period that it is compared with. */
  before?: Figures | null;
  /** Of what these figures are, and what it is called. */
  verdict?: VerdictAnswer | null;
  of?: string;
}>();
const f = computed(() => props.figures);
const unconverted = computed(() =>
  f.value.unconverted
    .map(
      (u) =>
        `${money(BigInt(u.spentMicros) + BigInt(u.earnedMicros) + BigInt(u.onHoldMicros))} ${u.currency}`,
    )
    .join(', '),
);
const cells = computed(() => figureCells(props.figures, props.currency));
const cellsBefore = computed(() => (props.before ? figureCells(props.before, props.currency) : null));
const change = (i: number): string => changeWords(cells.value[i]!.amount, cellsBefore.value?.[i]?.amount);
</script>
<template>
  <section aria-label="Figures" class="line">
    <dl>
      <div v-if="verdict" class="verdict-cell">
        <dt>Verdict</dt>
        <dd class="value"><VerdictMark :verdict="verdict" :of="of ?? ''" :currency="currency" /></dd>
        <dd class="note">{{ verdictReason(verdict) }}</dd>
      </div>
      <div v-for="(c, i) in cells" :key="c.label">
        <dt>{{ c.label }}</dt>
        <dd class="value" :class="c.tone">{{ c.value }}</dd>
        <dd class="note">{{ c.note }}</dd>
        <dd v-if="change(i)" class="note">{{ change(i) }}</dd>
      </div>
    </dl>
    <p v-if="unconverted" class="quiet">
      Not included because an exchange rate is missing: {{ unconverted }}.
      <RouterLink to="/money/rates">Add a rate</RouterLink>
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
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(170px, 42%), 1fr));
  gap: 10px 22px;
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
.verdict-cell :deep(.verdict) {
  font-size: 16px;
  font-weight: 700;
}
.gain {
  color: var(--gain);
}
.loss {
  color: var(--loss);
}
</style>
