<script setup lang="ts">
import { CircleAlert } from '@lucide/vue';
import { computed } from 'vue';
import { health } from './stream.ts';

const count = (n: number, one: string, many: string): string =>
  `${n.toLocaleString('en')} ${n === 1 ? one : many}`;
const words = computed(() => {
  const h = health.value;
  if (!h || h.database === 'up') return '';
  if (h.disk === 'up')
    return `The database does not answer. Visitors are sent on, and what comes in waits on disk (${count(h.waiting, 'row', 'rows')} so far); nothing is lost. Figures and forms wait until it is back.`;
  return `Neither the database nor the disk takes anything. ${count(h.unrecorded, 'visit was', 'visits were')} sent on and not recorded; ${count(h.refused, 'postback was', 'postbacks in were')} answered 503, so that the networks send them again. Free space in the data folder, and bring the database back.`;
});
</script>
<template>
  <div v-if="words" class="health" :class="{ lost: health?.disk === 'failing' }" role="alert">
    <CircleAlert :size="17" aria-hidden="true" />
    <span>{{ words }}</span>
  </div>
</template>
<style scoped>
.health {
  display: flex;
  gap: 9px;
  align-items: flex-start;
  margin: -16px -22px 14px;
  padding: 9px 22px;
  border-bottom: 1px solid var(--hairline);
  background: var(--sheet);
  font-weight: 500;
}
.health svg {
  flex: none;
  margin-top: 2px;
  color: var(--error);
}
.lost {
  color: var(--error);
  font-weight: 650;
}
@media (max-width: 640px) {
  .health {
    margin: -12px -12px 12px;
    padding: 8px 12px;
  }
}
</style>
