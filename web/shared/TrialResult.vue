<script setup lang="ts">
/** What a change of a network's reading does to its last postbacks: said before it is kept. */
import type { ReadingTrial } from '@tracheon/core/contract';
import { TriangleAlert } from '@lucide/vue';
import { count } from '../ui/format.ts';

defineProps<{ trial: ReadingTrial }>();
const postbacks = (n: number): string => (n === 1 ? '1 postback' : `${count(n)} postbacks`);
</script>
<template>
  <div class="trial" role="note">
    <p v-if="trial.broken > 0" class="row error">
      <TriangleAlert :size="15" aria-hidden="true" />
      <span
        >Tracheon would no longer understand {{ postbacks(trial.broken) }} of the network’s last
        {{ count(trial.tried) }}.</span
      >
    </p>
    <p v-if="trial.changed > 0">
      Tracheon would read {{ postbacks(trial.changed) }} of the network’s last {{ count(trial.tried) }} in
      another way.
    </p>
    <p v-if="trial.mended > 0">Tracheon would understand {{ postbacks(trial.mended) }} more.</p>
    <p v-if="trial.broken + trial.changed + trial.mended === 0">
      Tracheon would read the network’s last {{ postbacks(trial.tried) }} as before.
    </p>
    <ul v-if="trial.examples.length > 0">
      <li v-for="e in trial.examples.slice(0, 3)" :key="e.id">
        <RouterLink :to="`/conversions/postbacks-in?open=${e.id}`">{{ e.before }}</RouterLink> →
        <span :class="{ error: e.what === 'broken' }">{{ e.after }}</span>
      </li>
    </ul>
  </div>
</template>
<style scoped>
.trial {
  font-size: 12.5px;
}
p {
  margin: 0 0 2px;
}
ul {
  margin: 4px 0 0;
  padding-left: 18px;
}
</style>
