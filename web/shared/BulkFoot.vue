<script setup lang="ts">
/** What became of a change of several records, and the way back. */
import Button from 'primevue/button';
import type { ChangeRow } from '@tracheon/core/contract';

const props = defineProps<{
  done: ChangeRow | null;
  failure: string;
  busy: boolean;
  /** What was changed, in the singular. */
  one?: string;
}>();
defineEmits<{ undo: [id: string] }>();
const campaigns = (n: number): string => {
  const word = props.one ?? 'campaign';
  return n === 1 ? `1 ${word}` : `${n} ${word}s`;
};
</script>
<template>
  <p v-if="failure" class="error" role="alert">{{ failure }}</p>
  <p v-if="done" role="status">
    <template v-if="done.undone">{{ campaigns(done.count) }} restored.</template>
    <template v-else
      >{{ campaigns(done.count) }} changed.
      <Button severity="secondary" :disabled="busy" @click="$emit('undo', done.id)">Undo</Button></template
    >
  </p>
</template>
