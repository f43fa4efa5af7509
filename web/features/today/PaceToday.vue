<script setup lang="ts">
/** How today goes so far, against the same hours of the last seven days. */
import type { NumbersAnswer, NumbersAsked } from '@tracheon/core/contract';
import { paceOf, type HourSums, type Pace, type PaceOf } from '@tracheon/core/metrics';
import { localHourIn, shiftDay } from '@tracheon/core/time';
import { computed, ref, watch } from 'vue';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { usePeriod } from '../../shared/period.ts';
import { useIndexed } from '../../shared/useIndexed.ts';
import { count, money, percent } from '../../ui/format.ts';

const DAYS = 7;
const NEWS_EVERY_MS = 30_000;
const session = useSession();
const { today } = usePeriod();
const pace = ref<Pace | null>(null);
const { indexed } = useIndexed(() => void load());
const asks = newest();
const byHour = (from: string, to: string): Promise<NumbersAnswer> =>
  ask('numbersReport', { body: { from, to, by: ['hour'], sort: '', limit: 24 } as unknown as NumbersAsked });
const sums = ({ rows }: NumbersAnswer): HourSums[] =>
  rows.map(({ values, figures }) => ({
    hour: values[0]!,
    visits: figures.visits,
    spentMicros: BigInt(figures.spentMicros),
    expectedMicros: BigInt(figures.expectedMicros),
  }));
function load(): Promise<void> {
  const day = today.value;
  return asks(
    indexed(() => Promise.all([byHour(day, day), byHour(shiftDay(day, -DAYS), shiftDay(day, -1))])),
    ([now, before]) => {
      const { hour: hours } = localHourIn(session.desk.zone)(Date.now());
      pace.value = paceOf(sums(now), sums(before), { hours, days: DAYS });
    },
    // The figures above say what is wrong.
    () => (pace.value = null),
  );
}
watch(today, load, { immediate: true });
onNews(['numbers'], load, NEWS_EVERY_MS);

const amount = (units: number): string => money(String(Math.round(units * 1e6)));
const against = ({ soFar, usual }: PaceOf): string => {
  if (usual <= 0) return '';
  const change = soFar / usual - 1;
  if (Math.abs(change) < 0.005) return 'as usual';
  return `${percent(Math.abs(change), 0)} ${change > 0 ? 'more' : 'less'} than usual`;
};
const lines = computed(() => {
  const p = pace.value;
  if (!p) return [];
  const line = (label: string, of: PaceOf, text: (n: number) => string) => ({
    label,
    soFar: text(of.soFar),
    words: against(of),
    ahead: of.ahead === null ? '' : text(of.ahead),
  });
  return [
    line('visits', p.visits, (n) => count(Math.round(n))),
    line(`${session.desk.currency} spent`, p.spent, amount),
    line(`${session.desk.currency} expected`, p.expected, amount),
  ];
});
</script>
<template>
  <section v-if="pace" class="sheet pad" aria-label="Pace of today">
    <h2>Pace of today</h2>
    <p>
      By {{ String(pace.hours).padStart(2, '0') }}:00
      <template v-for="(l, i) in lines" :key="l.label"
        ><template v-if="i > 0"> · </template><strong>{{ l.soFar }}</strong> {{ l.label
        }}<span v-if="l.words" class="quiet"> ({{ l.words }})</span></template
      >. If today goes on like this, it ends at about
      <template v-for="(l, i) in lines.filter((x) => x.ahead)" :key="l.label"
        ><template v-if="i > 0">, </template>{{ l.ahead }} {{ l.label }}</template
      >.
    </p>
    <p class="quiet">
      Usual is the mean of the same hours of the last {{ DAYS }} days. Revenue of today’s visits still comes
      in.
    </p>
  </section>
</template>
<style scoped>
p {
  margin: 4px 0 0;
}
</style>
