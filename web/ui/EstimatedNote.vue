<script setup lang="ts">
/** Before expected revenue: how much of it a feed has told only as an estimate; nothing where that is under 1 %. */
import type { Figures } from '@tracheon/core/contract';
import { computed } from 'vue';
import { percent } from './format.ts';

const props = defineProps<{ figures: Pick<Figures, 'estimatedShare'> | null }>();
const LEAST_SHARE = 0.01;
const share = computed(() => {
  const estimated = props.figures?.estimatedShare ?? 0;
  return estimated < LEAST_SHARE ? '' : percent(estimated, 0);
});
</script>
<template>
  <small
    v-if="share"
    class="quiet estimated"
    :title="`${share} of it is an estimate of a feed. The final amount is still to come.`"
    >{{ share }} est.</small
  >
</template>
<style scoped>
.estimated {
  margin-right: 0.35em;
}
</style>
