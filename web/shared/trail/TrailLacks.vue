<script setup lang="ts">
/** What is wrong at a hop, in words, with the way to put it right. */
import type { Lack } from '@tracheon/core/trail';
import { CircleAlert, Info } from '@lucide/vue';
import { mendAt } from './trailWords.ts';

defineProps<{ lacks: Lack[]; ids?: Partial<Record<Lack['at'], string>> }>();
</script>
<template>
  <ul v-if="lacks.length" class="lacks">
    <li v-for="l in lacks" :key="`${l.code}${l.sentence}`">
      <CircleAlert v-if="l.breaks" :size="14" class="error" aria-hidden="true" />
      <Info v-else :size="14" aria-hidden="true" />
      <span
        >{{ l.sentence }}
        <RouterLink v-if="ids && mendAt(l, ids)" :to="mendAt(l, ids)">{{
          l.breaks ? 'Fix' : 'Review'
        }}</RouterLink></span
      >
    </li>
  </ul>
</template>
<style scoped>
.lacks {
  list-style: none;
  margin: 2px 0 0;
  padding: 0;
  display: grid;
  gap: 2px;
  font-size: 12px;
}
li {
  display: grid;
  grid-template-columns: 16px 1fr;
  gap: 4px;
  overflow-wrap: anywhere;
}
svg {
  margin-top: 2px;
}
</style>
