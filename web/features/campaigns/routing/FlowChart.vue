<script setup lang="ts">
/** The flow as a picture; the same in words for a screen reader. */
import { SankeyChart } from 'echarts/charts';
import { TooltipComponent } from 'echarts/components';
import { use } from 'echarts/core';
import { CanvasRenderer } from 'echarts/renderers';
import { computed } from 'vue';
import VChart from 'vue-echarts';
import { drawn } from '../../../base/theme.ts';
import { counted } from '../../../ui/format.ts';
import { flowWords, type Flow } from './flow.ts';

use([SankeyChart, TooltipComponent, CanvasRenderer]);
const props = defineProps<{ flow: Flow }>();
const colour = (name: string): string =>
  getComputedStyle(document.documentElement).getPropertyValue(name).trim();
const reduced = window.matchMedia('(prefers-reduced-motion: reduce)').matches;
/** Thin flows need room for their labels. */
const ROW_PX = 44;
const height = computed(() => {
  const rows = [0, 1, 2, 3].map((depth) => props.flow.nodes.filter((n) => n.depth === depth).length);
  return `${Math.max(150, Math.max(...rows) * ROW_PX)}px`;
});
const option = computed(() => {
  // Read anew when the theme changes.
  void drawn.value;
  const [ink, quiet, sheet, chip, hairline] = ['--ink', '--quiet', '--sheet', '--chip', '--hairline'].map(
    colour,
  );
  const label = new Map(props.flow.nodes.map((n) => [n.id, n.label]));
  const font = { fontFamily: 'Public Sans Variable', fontSize: 12 };
  return {
    animation: !reduced,
    tooltip: {
      renderMode: 'richText',
      backgroundColor: sheet,
      borderColor: quiet,
      textStyle: { color: ink, ...font },
      formatter: (p: {
        dataType: string;
        name: string;
        value: number;
        data: { source?: string; target?: string };
      }) =>
        p.dataType === 'edge'
          ? `${label.get(p.data.source ?? '')} → ${label.get(p.data.target ?? '')}: ${counted(p.value, 'visit')}`
          : `${label.get(p.name)}: ${counted(p.value, 'visit')}`,
    },
    series: [
      {
        type: 'sankey',
        left: 4,
        right: 150,
        top: 8,
        bottom: 8,
        nodeWidth: 8,
        nodeGap: 14,
        draggable: false,
        emphasis: { focus: 'adjacency' },
        data: props.flow.nodes.map((n) => ({
          name: n.id,
          depth: n.depth,
          itemStyle: { color: n.id === 'end:converted' ? colour('--gain') : chip },
        })),
        links: props.flow.links.map((l) => ({ source: l.from, target: l.to, value: l.visits })),
        lineStyle: { color: hairline, opacity: 0.9, curveness: 0.5 },
        label: {
          color: ink,
          ...font,
          width: 140,
          overflow: 'truncate',
          formatter: ({ name }: { name: string }) => label.get(name) ?? name,
        },
      },
    ],
  };
});
</script>
<template>
  <div class="flow" role="img" :aria-label="`Flow of visits. ${flowWords(flow)}`">
    <VChart :style="{ height }" :option="option" autoresize />
  </div>
</template>
<style scoped>
/* While the window shrinks, the picture is still as wide as it was. */
.flow {
  overflow: hidden;
}
</style>
