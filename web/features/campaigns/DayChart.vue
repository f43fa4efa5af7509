<script setup lang="ts">
/** Profit as bars to either side of an axis, visits as a thin line; the same in words for a screen reader. */
import type { DayFigures } from '@tracheon/core/contract';
import { BarChart, LineChart } from 'echarts/charts';
import { GridComponent, TooltipComponent } from 'echarts/components';
import { use } from 'echarts/core';
import { CanvasRenderer } from 'echarts/renderers';
import { computed } from 'vue';
import VChart from 'vue-echarts';
import { drawn } from '../../base/theme.ts';
import { UNKNOWN } from '../../ui/figureCells.ts';
import { count, dayName, money } from '../../ui/format.ts';

use([BarChart, LineChart, GridComponent, TooltipComponent, CanvasRenderer]);
const props = defineProps<{ days: DayFigures[]; currency: string }>();
const colour = (name: string): string =>
  getComputedStyle(document.documentElement).getPropertyValue(name).trim();
const profitText = (micros: string | null): string => (micros === null ? UNKNOWN : money(micros, 2, true));
const reduced = window.matchMedia('(prefers-reduced-motion: reduce)').matches;

const option = computed(() => {
  // Read anew when the theme changes.
  void drawn.value;
  const [gain, loss, quiet, hairline, ink, sheet] = [
    '--gain',
    '--loss',
    '--quiet',
    '--hairline',
    '--ink',
    '--sheet',
  ].map(colour);
  const axis = {
    axisLabel: {
      formatter: (value: string | number) => String(value).replace('-', '\u2212'),
      color: quiet,
      fontFamily: 'Public Sans Variable',
      fontSize: 11,
    },
    axisLine: { lineStyle: { color: hairline } },
    axisTick: { show: false },
  };
  return {
    animation: !reduced,
    animationDuration: 200,
    grid: { left: 56, right: 48, top: 28, bottom: 22 },
    tooltip: {
      trigger: 'axis',
      renderMode: 'richText',
      backgroundColor: sheet,
      borderColor: quiet,
      textStyle: { color: ink, fontFamily: 'Public Sans Variable', fontSize: 12 },
      formatter: (points: { dataIndex: number }[]) => {
        const d = props.days[points[0]?.dataIndex ?? 0];
        if (!d) return '';
        const f = d.figures;
        return `${dayName(d.day)}\nprofit ${profitText(f.profitMicros)} ${props.currency}\nspent ${money(f.spentMicros)} · expected ${money(f.expectedMicros)}\nvisits ${count(f.visits)} · conversions ${count(f.conversions)}`;
      },
    },
    xAxis: { type: 'category', data: props.days.map((d) => dayName(d.day).replace(/^\w+, /, '')), ...axis },
    yAxis: [
      {
        type: 'value',
        name: `profit, ${props.currency}`,
        nameTextStyle: { color: quiet, align: 'left', fontSize: 11 },
        ...axis,
        splitLine: { lineStyle: { color: hairline } },
      },
      {
        type: 'value',
        name: 'visits',
        min: 0,
        nameTextStyle: { color: quiet, align: 'right', fontSize: 11 },
        ...axis,
        splitLine: { show: false },
      },
    ],
    series: [
      {
        type: 'bar',
        barMaxWidth: 26,
        data: props.days.map((d) => {
          // A day whose cost is not known has no bar.
          if (d.figures.profitMicros === null) return { value: null };
          const value = Number(d.figures.profitMicros) / 1e6;
          return { value: Math.round(value * 100) / 100, itemStyle: { color: value < 0 ? loss : gain } };
        }),
      },
      {
        type: 'line',
        yAxisIndex: 1,
        data: props.days.map((d) => d.figures.visits),
        showSymbol: props.days.length === 1,
        symbolSize: 5,
        lineStyle: { color: ink, width: 1.2 },
        itemStyle: { color: ink },
      },
    ],
  };
});
const inWords = computed(() =>
  props.days
    .map((d) => `${dayName(d.day)}: profit ${profitText(d.figures.profitMicros)}, ${d.figures.visits} visits`)
    .join('; '),
);
</script>
<template>
  <div role="img" :aria-label="`Profit and visits by day. ${inWords}`">
    <VChart class="chart" :option="option" autoresize />
  </div>
</template>
<style scoped>
.chart {
  height: 190px;
}
</style>
