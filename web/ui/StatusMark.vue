<script setup lang="ts">
/** Status of a conversion, outcome of a call: word first, a small mark beside it, colour only adds. */
import { statuses, statusOf } from '@tracheon/core/contract';

const props = defineProps<{ word: string }>();
const marks: Record<string, [sign: string, tone: string]> = {
  ...Object.fromEntries(statuses.map((s) => [s, [statusOf[s].sign, statusOf[s].tone] as [string, string]])),
  accepted: ['●', 'plain'],
  updated: ['◐', 'plain'],
  duplicate: ['=', 'quiet'],
  ignored: ['–', 'quiet'],
  repair: ['!', 'error'],
  queued: ['…', 'quiet'],
  delivered: ['●', 'plain'],
  waiting: ['◔', 'quiet'],
  on_page: ['◔', 'quiet'],
  gave_up: ['!', 'error'],
  superseded: ['–', 'quiet'],
  set_aside: ['–', 'quiet'],
};
const words: Record<string, string> = {
  repair: 'needs repair',
  gave_up: 'gave up',
  set_aside: 'set aside',
  on_page: 'waiting for page',
};
const mark = (): [string, string] => marks[props.word] ?? ['', 'plain'];
</script>
<template>
  <span :class="mark()[1]" class="mark"
    ><span class="sign" aria-hidden="true">{{ mark()[0] }}</span> {{ words[word] ?? word }}</span
  >
</template>
<style scoped>
.mark {
  white-space: nowrap;
}
.sign {
  display: inline-block;
  width: 13px;
  text-align: center;
  font-weight: 700;
}
.loss {
  color: var(--loss);
}
</style>
