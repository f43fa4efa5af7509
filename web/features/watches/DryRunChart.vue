<script setup lang="ts">
/** A dry run by day: how often the watch fired, and what its acts would have saved up to then. */
import { BarChart, LineChart } from 'echarts/charts';
import { GridComponent, LegendComponent, TooltipComponent } from 'echarts/components';
import { use } from 'echarts/core';
import { CanvasRenderer } from 'echarts/renderers';
import type { WatchDryRun } from '@tracheon/core/contract';
import { daysIn, localDay, shiftDay } from '@tracheon/core/time';
import { computed } from 'vue';
import VChart from 'vue-echarts';
import { useSession } from '../../app/session.ts';
import { drawn } from '../../base/theme.ts';
import { dayName } from '../../ui/format.ts';

use([BarChart, LineChart, GridComponent, LegendComponent, TooltipComponent, CanvasRenderer]);
const props = defineProps<{ run: WatchDryRun }>();
const session = useSession();
const rows = computed(() => {
  const { zone } = session.desk;
  const [from, to] = [props.run.from, props.run.to].map((at) => localDay(Date.parse(at), zone)) as [
    string,
    string,
  ];
  const byDay = new Map(props.run.byDay.map((d) => [d.day, d]));
  let saved = 0;
  return Array.from({ length: daysIn({ from, to }) }, (_, i) => {
    const day = shiftDay(from, i);
    const of = byDay.get(day);
    saved += Number(of?.savedMicros ?? 0) / 1e6;
    return { day, firings: of?.firings ?? 0, saved: Math.round(saved * 100) / 100 };
  });
});
const colour = (name: string): string =>
  getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();
const font = { fontFamily: 'Public Sans Variable', fontSize: 11 };
const option = computed(() => {
  // Read anew when the theme changes.
  void drawn.value;
  const [ink, quiet, hairline, sheet, bars, line] = [
    'ink',
    'quiet',
    'hairline',
    'sheet',
    'quiet',
    'gain',
  ].map(colour);
  const axis = {
    axisLabel: { ...font, color: quiet },
    axisLine: { lineStyle: { color: hairline } },
    axisTick: { show: false },
  };
  return {
    animation: false,
    textStyle: { ...font, color: ink },
    tooltip: {
      trigger: 'axis',
      renderMode: 'richText',
      backgroundColor: sheet,
      borderColor: quiet,
      textStyle: { ...font, color: ink },
    },
    legend: { top: 0, textStyle: { ...font, color: ink } },
    grid: { left: 44, right: 56, top: 30, bottom: 24 },
    xAxis: { type: 'category', data: rows.value.map((r) => dayName(r.day)), ...axis },
    yAxis: [
      { type: 'value', minInterval: 1, splitLine: { lineStyle: { color: hairline } }, ...axis },
      { type: 'value', splitLine: { show: false }, ...axis },
    ],
    series: [
      {
        name: 'Found',
        type: 'bar',
        data: rows.value.map((r) => r.firings),
        itemStyle: { color: bars },
      },
      {
        name: `Saved so far, ${session.desk.currency}`,
        type: 'line',
        yAxisIndex: 1,
        showSymbol: false,
        data: rows.value.map((r) => r.saved),
        lineStyle: { color: line, type: 'dashed' },
        itemStyle: { color: line },
      },
    ],
  };
});
</script>
<template>
  <VChart
    class="chart"
    :option="option"
    autoresize
    role="img"
    :aria-label="`Found on ${run.byDay.filter((d) => d.firings > 0).length} of ${rows.length} days`"
  />
</template>
<style scoped>
.chart {
  height: 180px;
}
</style>
