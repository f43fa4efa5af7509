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
    return `The database is not responding. Visitors are still redirected, and Tracheon keeps what comes in on disk (${count(h.waiting, 'row', 'rows')} so far). Nothing is lost. Figures and forms work again when the database is back.`;
  return `Tracheon can write neither to the database nor to the disk. ${count(h.unrecorded, 'visit was', 'visits were')} redirected without being recorded. ${count(h.refused, 'postback was', 'postbacks were')} answered with 503, so networks will send them again. Free space in the data folder and restart the database.`;
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
