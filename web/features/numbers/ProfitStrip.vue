<script setup lang="ts">
/**
 * Profit day by day over the last weeks, with the period framed. Drag over days to choose them; the button of the period does
 * the same by keyboard.
 */
import type { NumbersAnswer } from '@tracheon/core/contract';
import { daysIn, shiftDay } from '@tracheon/core/time';
import { computed, ref, shallowRef, watch } from 'vue';
import { newest } from '../../base/newest.ts';
import { usePeriod } from '../../shared/period.ts';
import { dayName, dayRange, money } from '../../ui/format.ts';

const props = defineProps<{
  /** The rows of every day of a period, with the filters of the table. */
  byDay: (period: { from: string; to: string }) => Promise<NumbersAnswer>;
  /** Changes with the filters. */
  asked: string;
  currency: string;
  isReady: boolean;
}>();
const LEAST_DAYS = 60;
const MOST_DAYS = 366;
const { range, today, choose } = usePeriod();
/** Up to today, and long enough to have the period in it. */
const shown = computed(() => {
  const to = range.value.to > today.value ? range.value.to : today.value;
  const days = Math.min(MOST_DAYS, Math.max(LEAST_DAYS, daysIn({ from: range.value.from, to })));
  return { from: shiftDay(to, 1 - days), to };
});
const answer = shallowRef<NumbersAnswer | null>(null);
const asks = newest();
watch(
  [() => props.asked, shown, () => props.isReady],
  () => {
    if (!props.isReady) return;
    void asks(
      props.byDay(shown.value),
      (found) => (answer.value = found),
      () => (answer.value = null),
    );
  },
  { immediate: true, deep: true },
);

interface Bar {
  day: string;
  profit: number;
  isIn: boolean;
  top: string;
  height: string;
}
const profits = computed(
  () => new Map((answer.value?.rows ?? []).map((r) => [r.values[0]!, Number(r.figures.profitMicros ?? 0)])),
);
const axis = computed(() => {
  const all = [...profits.value.values()];
  const [most, least] = [Math.max(0, ...all), Math.min(0, ...all)];
  return { most, span: Math.max(1, most - least) };
});
/** While days are dragged over, these are framed. */
const dragged = ref<{ from: number; to: number } | null>(null);
const framed = computed(() => {
  const all = days.value;
  const drag = dragged.value;
  if (drag) return { from: all[Math.min(drag.from, drag.to)]!, to: all[Math.max(drag.from, drag.to)]! };
  return range.value;
});
const days = computed(() =>
  Array.from({ length: daysIn(shown.value) }, (_, i) => shiftDay(shown.value.from, i)),
);
const bars = computed(() =>
  days.value.map((day): Bar => {
    const profit = profits.value.get(day) ?? 0;
    const { most, span } = axis.value;
    return {
      day,
      profit,
      isIn: day >= framed.value.from && day <= framed.value.to,
      top: `${((most - Math.max(0, profit)) / span) * 100}%`,
      height: `${(Math.abs(profit) / span) * 100}%`,
    };
  }),
);
const frame = computed(() => {
  const n = days.value.length;
  const first = Math.max(0, days.value.indexOf(framed.value.from));
  const last = days.value.indexOf(framed.value.to);
  return { left: `${(first / n) * 100}%`, width: `${((Math.max(first, last) - first + 1) / n) * 100}%` };
});
const place = ref<HTMLElement | null>(null);
function dayAt(event: PointerEvent): number {
  const box = place.value!.getBoundingClientRect();
  const at = Math.floor(((event.clientX - box.left) / box.width) * days.value.length);
  return Math.max(0, Math.min(days.value.length - 1, at));
}
function begin(event: PointerEvent): void {
  if (event.button !== 0) return;
  place.value!.setPointerCapture(event.pointerId);
  dragged.value = { from: dayAt(event), to: dayAt(event) };
}
function end(): void {
  if (!dragged.value) return;
  choose({ range: { ...framed.value } });
  dragged.value = null;
}
</script>
<template>
  <div
    v-if="answer && answer.rows.length > 0"
    ref="place"
    class="strip sheet"
    role="img"
    :aria-label="`Profit by day, ${dayRange(shown.from, shown.to)}; the chosen period is framed`"
    @pointerdown="begin"
    @pointermove="dragged && (dragged.to = dayAt($event))"
    @pointerup="end"
    @pointercancel="dragged = null"
  >
    <span class="axis" :style="{ top: `${8 + (axis.most / axis.span) * 48}px` }" />
    <span
      v-for="b in bars"
      :key="b.day"
      class="day"
      :class="{ in: b.isIn }"
      :title="`${dayName(b.day)}: ${money(String(Math.round(b.profit)), 2, true)} ${currency}`"
      ><span class="bar" :class="b.profit < 0 ? 'loss' : 'gain'" :style="{ top: b.top, height: b.height }"
    /></span>
    <span class="frame" :style="frame" />
  </div>
</template>
<style scoped>
.strip {
  position: relative;
  display: flex;
  height: 64px;
  padding: 8px 0;
  margin-bottom: 10px;
  cursor: crosshair;
  touch-action: none;
  user-select: none;
}
.day {
  position: relative;
  flex: 1 1 0;
}
.bar {
  position: absolute;
  left: 12%;
  right: 12%;
  min-height: 1px;
  opacity: 0.35;
}
.in .bar {
  opacity: 1;
}
.gain {
  background: var(--gain);
}
.loss {
  background: var(--loss);
}
.axis {
  position: absolute;
  left: 0;
  right: 0;
  height: 1px;
  background: var(--border);
}
.frame {
  position: absolute;
  top: 2px;
  bottom: 2px;
  border: 2px solid var(--ink);
  border-radius: 3px;
  pointer-events: none;
}
</style>
