<script setup lang="ts">
/** What stands where a list or figure is not there yet: loading, failed with a way to try again, or empty and teaching. */
import Button from 'primevue/button';
import { CircleAlert } from '@lucide/vue';

defineProps<{ state: 'loading' | 'failed' | 'empty'; words?: string; title?: string }>();
defineEmits<{ again: [] }>();
</script>
<template>
  <div class="block" :role="state === 'failed' ? 'alert' : 'status'">
    <template v-if="state === 'loading'">
      <span v-for="n in 4" :key="n" class="waiting-bar" :style="{ width: `${96 - n * 14}%` }" />
      <span class="visually-hidden">Loading</span>
    </template>
    <template v-else-if="state === 'failed'">
      <p class="error row">
        <CircleAlert :size="16" aria-hidden="true" /> {{ words || 'Tracheon could not load this.' }}
      </p>
      <Button severity="secondary" @click="$emit('again')">Try again</Button>
    </template>
    <template v-else>
      <h2>{{ title }}</h2>
      <p class="quiet says">{{ words }}</p>
      <slot />
    </template>
  </div>
</template>
<style scoped>
.block {
  padding: 22px 16px;
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  gap: 10px;
}
.says {
  max-width: 64ch;
}
.waiting-bar {
  height: 12px;
  border-radius: 3px;
  background: var(--tint);
}
</style>
