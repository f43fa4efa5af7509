<script setup lang="ts">
/** Gain and loss by sign first; colour only adds. A profit whose cost is not known is a question mark. */
import { computed } from 'vue';
import { UNKNOWN } from './figureCells.ts';
import { money } from './format.ts';

const props = defineProps<{ micros: string | null; decimals?: number }>();
const text = computed(() =>
  props.micros === null ? UNKNOWN : money(props.micros, props.decimals ?? 2, true),
);
</script>
<template>
  <span
    v-if="micros === null"
    class="quiet explained"
    title="The cost of these visits is not known."
    tabindex="0"
    >{{ text }}<span class="visually-hidden"> The cost of these visits is not known.</span></span
  >
  <strong v-else :class="text.startsWith('+') ? 'gain' : text.startsWith('\u2212') ? 'loss' : ''">{{
    text
  }}</strong>
</template>
<style scoped>
.gain {
  color: var(--gain);
}
.loss {
  color: var(--loss);
}
</style>
