<script setup lang="ts">
/** A bar to either side of an axis: where comparing matters more than reading. The number stands beside it. */
import { computed } from 'vue';

const props = defineProps<{
  /** Null, for a cost that is not known, draws no bar. */
  micros: string | null;
  /** Largest gain and loss in the column, in micro-units. */ most: number;
  least: number;
}>();
const value = computed(() => Number(props.micros ?? 0));
const span = computed(() => Math.max(1, Math.max(props.most, 0) - Math.min(props.least, 0)));
const axis = computed(() => (-Math.min(props.least, 0) / span.value) * 100);
const width = computed(() => (Math.abs(value.value) / span.value) * 100);
</script>
<template>
  <span class="track" aria-hidden="true">
    <span class="axis" :style="{ left: `${axis}%` }" />
    <span
      v-if="micros !== null"
      class="bar"
      :class="value < 0 ? 'loss' : 'gain'"
      :style="
        value < 0 ? { right: `${100 - axis}%`, width: `${width}%` } : { left: `${axis}%`, width: `${width}%` }
      "
    />
  </span>
</template>
<style scoped>
.track {
  position: relative;
  display: block;
  width: 96px;
  height: 14px;
}
.axis {
  position: absolute;
  top: -2px;
  bottom: -2px;
  width: 1px;
  background: var(--border);
}
.bar {
  position: absolute;
  top: 1px;
  bottom: 1px;
}
.gain {
  background: var(--gain);
}
.loss {
  background: var(--loss);
}
</style>
