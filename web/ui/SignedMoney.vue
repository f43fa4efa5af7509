<script setup lang="ts">
/** Gain and loss by sign first; colour only adds. */
import { computed } from 'vue';
import { money } from './format.ts';

const props = defineProps<{ micros: string; decimals?: number }>();
const text = computed(() => money(props.micros, props.decimals ?? 2, true));
</script>
<template>
  <strong :class="text.startsWith('+') ? 'gain' : text.startsWith('\u2212') ? 'loss' : ''">{{ text }}</strong>
</template>
<style scoped>
.gain {
  color: var(--gain);
}
.loss {
  color: var(--loss);
}
</style>
