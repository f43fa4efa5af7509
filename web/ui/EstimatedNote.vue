<script setup lang="ts">
/** Before expected revenue: how much of it a feed has told only as an estimate; nothing where none of it is. */
import type { Figures } from '@tracheon/core/contract';
import { computed } from 'vue';
import { percent } from './format.ts';

const props = defineProps<{ figures: Pick<Figures, 'estimatedMicros' | 'estimatedShare'> | null }>();
const share = computed(() =>
  !props.figures || props.figures.estimatedMicros === '0' || props.figures.estimatedShare === null
    ? ''
    : percent(props.figures.estimatedShare, 0),
);
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
