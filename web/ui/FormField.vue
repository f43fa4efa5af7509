<script setup lang="ts">
/** One field with its label, a hint, and what is wrong with it, all tied together for a screen reader. */
import { CircleAlert } from '@lucide/vue';
import { useId } from 'vue';

defineProps<{ label: string; hint?: string; error?: string | undefined; good?: string }>();
const id = useId();
</script>
<template>
  <div class="field">
    <label :id="`${id}-label`" :for="id">{{ label }}</label>
    <slot :id="id" :invalid="!!error" :described="`${id}-note`" />
    <p :id="`${id}-note`" class="note" aria-live="polite">
      <span v-if="error" class="error row"><CircleAlert :size="14" aria-hidden="true" /> {{ error }}</span>
      <span v-else class="quiet">{{ good || hint }}</span>
    </p>
  </div>
</template>
<style scoped>
.field {
  display: grid;
  gap: 3px;
}
label {
  font-weight: 600;
}
.note {
  font-size: 12px;
  min-height: 18px;
}
.note .row {
  gap: 5px;
  flex-wrap: nowrap;
  align-items: baseline;
}
.note .row svg {
  flex: none;
  align-self: start;
  margin-top: 2px;
}
</style>
