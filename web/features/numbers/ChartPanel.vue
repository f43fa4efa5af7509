<script setup lang="ts">
/** A chart of one figure: some rows of the table over time, as lines or stacked, or the hours of the week. */
import { BarChart, HeatmapChart, LineChart } from 'echarts/charts';
import { GridComponent, LegendComponent, TooltipComponent, VisualMapComponent } from 'echarts/components';
import { use } from 'echarts/core';
import { CanvasRenderer } from 'echarts/renderers';
import MultiSelect from 'primevue/multiselect';
import { figureDefinitions, figureNames, groupingOf, type FigureName } from '@tracheon/core/metrics';
import type { NumbersAnswer } from '@tracheon/core/contract';
import { daysIn, shiftDay } from '@tracheon/core/time';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import VChart from 'vue-echarts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import { drawn } from '../../base/theme.ts';
import { usePeriod } from '../../shared/period.ts';
import { dayName } from '../../ui/format.ts';
import PickOne from '../../ui/PickOne.vue';
import SegmentChoice from '../../ui/SegmentChoice.vue';
import StateBlock from '../../ui/StateBlock.vue';
import {
  canStack,
  drawnFigure,
  drawnUnit,
  heatOption,
  inWords,
  linesOption,
  type Series,
} from './chartOptions.ts';
import { groupingLabel, valueText } from './groupingWords.ts';
import type { useNumbers } from './useNumbers.ts';

use([
  BarChart,
  HeatmapChart,
  LineChart,
  GridComponent,
  LegendComponent,
  TooltipComponent,
  VisualMapComponent,
  CanvasRenderer,
]);
const props = defineProps<{ numbers: ReturnType<typeof useNumbers> }>();
const { rows, levels, only, dayOf, basis, currency, answer } = props.numbers;
const session = useSession();
const { range } = usePeriod();
const MOST_ROWS = 12;
const FIRST_ROWS = 5;

const kind = ref<'lines' | 'stacked' | 'heat'>('lines');
const kinds = [
  { value: 'lines' as const, label: 'Lines' },
  { value: 'stacked' as const, label: 'Stacked' },
  { value: 'heat' as const, label: 'Hours of the week' },
];
const figure = ref<FigureName>('profitMicros');
const figures = computed(() =>
  figureNames
    .filter((name) => kind.value !== 'stacked' || canStack(name))
    .map((value) => ({ value, label: figureDefinitions[value].label })),
);
watch(kind, () => {
  if (kind.value === 'stacked' && !canStack(figure.value)) figure.value = 'spentMicros';
});
const level = computed(() => levels.value[0]!);
/** Rows that are times themselves are one line. */
const isTime = computed(() => groupingOf(level.value)?.kind === 'time');
const choices = computed(() =>
  rows.value
    .filter((r) => r.kind === 'row' && r.level === 0)
    .map((r) => ({ value: r.path[0]!, label: valueText(level.value, r.name) })),
);
const chosen = ref<string[]>([]);
/** Until a member chooses, the first rows of the table. */
const isChosen = ref(false);
watch(
  [choices, level],
  ([now], [, before]) => {
    if (before !== level.value) isChosen.value = false;
    if (!isChosen.value) chosen.value = now.slice(0, FIRST_ROWS).map((c) => c.value);
  },
  { immediate: true },
);
const names = computed(() => new Map(choices.value.map((c) => [c.value, c.label])));

const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const found = shallowRef<NumbersAnswer | null>(null);
const axis = computed(() => (daysIn(range.value) === 1 ? 'hour' : 'day'));
let waiting = new AbortController();
onBeforeUnmount(() => waiting.abort());
const asks = newest();
const by = computed(() =>
  kind.value === 'heat' ? ['weekday', 'hour'] : isTime.value ? [axis.value] : [level.value, axis.value],
);
function load(): Promise<void> {
  waiting.abort();
  waiting = new AbortController();
  const more =
    isTime.value || chosen.value.length === 0
      ? []
      : [{ by: level.value, is: 'is' as const, values: chosen.value }];
  return asks(
    props.numbers.chart(by.value, more, waiting.signal),
    (answered) => {
      found.value = answered;
      state.value = 'ready';
    },
    (why) => {
      failure.value = why;
      state.value = 'failed';
    },
  );
}
watch(
  [by, chosen, range, only, dayOf, basis, currency, () => answer.value?.fedAt],
  () => void (answer.value && load()),
  {
    immediate: true,
  },
);

const places = computed(() =>
  axis.value === 'hour'
    ? Array.from({ length: 24 }, (_, h) => String(h).padStart(2, '0'))
    : Array.from({ length: daysIn(range.value) }, (_, i) => shiftDay(range.value.from, i)),
);
const series = computed<Series[]>(() => {
  const cells = new Map<string, number | null>();
  for (const r of found.value?.rows ?? [])
    cells.set(r.values.join('\n'), drawnFigure(figure.value, r.figures));
  const line = (name: string, before: string): Series => ({
    name,
    values: places.value.map((place) => cells.get(before + place) ?? null),
  });
  if (isTime.value) return [line(figureDefinitions[figure.value].label, '')];
  return chosen.value.map((value) => line(names.value.get(value) ?? value, `${value}\n`));
});
const colour = (name: string): string =>
  getComputedStyle(document.documentElement).getPropertyValue(name).trim();
const looks = computed(() => {
  // Read anew when the theme changes.
  void drawn.value;
  const [gain, loss, ink, quiet] = ['--gain', '--loss', '--ink', '--quiet'].map(colour) as [
    string,
    string,
    string,
    string,
  ];
  return {
    gain,
    loss,
    ink,
    quiet,
    hairline: colour('--hairline'),
    sheet: colour('--sheet'),
    colours: [gain, loss, colour('--hold'), ink, quiet],
  };
});
const unit = computed(() => drawnUnit(figure.value, currency.value || session.desk.currency));
const option = computed(() => {
  if (kind.value === 'heat')
    return heatOption(
      new Map(
        (found.value?.rows ?? []).map((r) => [r.values.join('|'), drawnFigure(figure.value, r.figures)]),
      ),
      unit.value,
      looks.value,
    );
  const shown =
    axis.value === 'hour' ? places.value : places.value.map((d) => dayName(d).replace(/^\w+, /, ''));
  return linesOption(
    { places: shown, series: series.value, isStacked: kind.value === 'stacked', unit: unit.value },
    looks.value,
  );
});
const words = computed(() =>
  kind.value === 'heat'
    ? `${figureDefinitions[figure.value].label} by weekday and hour`
    : `${figureDefinitions[figure.value].label} over time. ${inWords(figure.value, series.value)}`,
);
</script>
<template>
  <section class="sheet pad chart-panel" aria-label="Chart">
    <div class="row">
      <SegmentChoice v-model="kind" :options="kinds" label="Kind of chart" />
      <PickOne v-model="figure" class="pick" aria-label="Figure of the chart" :options="figures" />
      <MultiSelect
        v-if="!isTime"
        v-model="chosen"
        class="pick"
        :options="choices"
        option-label="label"
        option-value="value"
        filter
        :selection-limit="MOST_ROWS"
        :max-selected-labels="2"
        :selected-items-label="`{0} of ${groupingLabel(level)}`"
        :placeholder="`All of ${groupingLabel(level)}`"
        :aria-label="`Rows of the chart: ${groupingLabel(level)}`"
        @change="isChosen = true"
      />
    </div>
    <StateBlock v-if="state === 'failed'" state="failed" :words="failure" @again="load" />
    <StateBlock v-else-if="state === 'loading'" state="loading" />
    <div v-else role="img" :aria-label="words">
      <VChart class="chart" :option="option" autoresize :update-options="{ notMerge: true }" />
    </div>
  </section>
</template>
<style scoped>
.chart {
  height: 260px;
}
.pick {
  width: 220px;
}
.chart-panel {
  margin-bottom: 10px;
}
</style>
