<script setup lang="ts">
/** What cutting the chosen values means in money: what they lost, what the rules would have done, and what is cut already. */
import type { CutListAnswer, CutListRow, ListEntry } from '@tracheon/core/contract';
import { localDay } from '@tracheon/core/time';
import { computed } from 'vue';
import { dayName, dayRange, money, percent } from '../../../ui/format.ts';
import SignedMoney from '../../../ui/SignedMoney.vue';

const props = defineProps<{
  answer: CutListAnswer;
  chosen: readonly CutListRow[];
  blocked: readonly ListEntry[];
  days: number;
}>();
const total = (of: readonly (string | null)[]): bigint => of.reduce((sum, m) => sum + BigInt(m ?? 0), 0n);
const profit = computed(() => total(props.chosen.map((r) => r.figures.profitMicros)));
const chosenWords = computed(() =>
  props.chosen.length === 0
    ? 'No value chosen'
    : props.chosen.length === 1
      ? 'The chosen value'
      : `The ${props.chosen.length} chosen values`,
);
const share = computed(() => {
  const all = Number(props.answer.total.spentMicros);
  return all === 0 ? null : Number(total(props.chosen.map((r) => r.figures.spentMicros))) / all;
});
const perDay = computed(() => -total(props.blocked.map((e) => e.profitPerDayMicros)));
const since = computed(() => {
  const [first] = props.blocked.map((e) => e.at).sort();
  return first === undefined ? '' : localDay(Date.parse(first), props.answer.zone);
});
/** What earned before it was cut saves nothing. */
const saves = computed(() =>
  perDay.value > 0n ? `, saves about ${money(perDay.value)} ${props.answer.currency} a day` : '',
);
const trial = computed(() => props.answer.trial);
const worst = computed(() =>
  [...(trial.value?.mistakes ?? [])].sort((a, b) => Number(BigInt(b.profitMicros) - BigInt(a.profitMicros))),
);
</script>
<template>
  <dl class="summary sheet">
    <div>
      <dt>{{ chosenWords }}, {{ days === 1 ? '1 day' : `${days} days` }}</dt>
      <dd class="value"><SignedMoney :micros="profit.toString()" /> {{ answer.currency }}</dd>
      <dd class="quiet">{{ percent(share, 0) }} of the cost of this source</dd>
    </div>
    <div>
      <dt>Had the rules cut after 7 days</dt>
      <template v-if="trial">
        <dd class="value"><SignedMoney :micros="trial.savedMicros" /> {{ answer.currency }}</dd>
        <dd class="quiet">counted on {{ dayRange(trial.from, trial.to) }} only</dd>
      </template>
      <dd v-else class="quiet">Needs at least 8 days with visits.</dd>
    </div>
    <div>
      <dt>Cut by mistake</dt>
      <template v-if="trial">
        <dd class="value">{{ trial.mistakes.length }} of {{ trial.cut }}</dd>
        <dd v-if="worst[0]" class="quiet">
          {{ worst[0].value }} then earned {{ money(worst[0].profitMicros) }} {{ answer.currency }}
        </dd>
        <dd v-else class="quiet">{{ trial.cut === 0 ? 'nothing was cut' : 'none of them earned later' }}</dd>
      </template>
      <dd v-else class="quiet">–</dd>
    </div>
    <div>
      <dt>On the block list</dt>
      <dd class="value">{{ blocked.length }}</dd>
      <dd class="quiet">
        {{ blocked.length === 0 ? 'nothing yet' : `since ${dayName(since)}${saves}` }}
      </dd>
    </div>
  </dl>
</template>
<style scoped>
.summary {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(200px, 1fr));
  margin: 0 0 12px;
}
.summary > div {
  padding: 10px 14px;
  border-left: 1px solid var(--hairline);
}
.summary > div:first-child {
  border-left: 0;
}
dt,
.quiet {
  font-size: 12.5px;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
}
.value {
  font-size: 17px;
  font-weight: 700;
}
</style>
