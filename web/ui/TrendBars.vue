<script setup lang="ts">
/** A row of small bars to either side of an axis, one for each day: where a campaign comes from and where it goes. */
import { computed } from 'vue';
import { money } from './format.ts';

const props = defineProps<{
  /** Micro-units by day, the latest last; null where there is nothing to draw. */
  values: (string | null)[];
  label: string;
}>();
const HEIGHT = 22;
const STEP = 6;
const numbers = computed(() => props.values.map((v) => Number(v ?? 0)));
const most = computed(() => Math.max(0, ...numbers.value));
const least = computed(() => Math.min(0, ...numbers.value));
const span = computed(() => Math.max(1, most.value - least.value));
const y = (value: number): number => ((most.value - value) / span.value) * HEIGHT;
const bars = computed(() =>
  numbers.value.map((value, i) => ({
    x: i * STEP,
    y: Math.min(y(value), y(0)),
    height: Math.max(value === 0 ? 0 : 1, Math.abs(y(value) - y(0))),
    tone: value < 0 ? 'loss' : 'gain',
  })),
);
const words = computed(() =>
  props.values.map((v) => (v === null ? 'not known' : money(v, 2, true))).join(', '),
);
</script>
<template>
  <svg :width="values.length * STEP" :height="HEIGHT" role="img" :aria-label="`${label}: ${words}`">
    <line x1="0" :x2="values.length * STEP" :y1="y(0)" :y2="y(0)" class="axis" />
    <rect
      v-for="b in bars"
      :key="b.x"
      :x="b.x"
      :y="b.y"
      :width="STEP - 2"
      :height="b.height"
      :class="b.tone"
    />
  </svg>
</template>
<style scoped>
svg {
  display: block;
}
.axis {
  stroke: var(--border);
  stroke-width: 1;
}
.gain {
  fill: var(--gain);
}
.loss {
  fill: var(--loss);
}
</style>
