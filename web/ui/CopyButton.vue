<script setup lang="ts">
import Button from 'primevue/button';
import { Copy } from '@lucide/vue';
import { useToast } from 'primevue/usetoast';

const props = defineProps<{ text: string; label: string; hint?: string; main?: boolean; keyName?: string }>();
const toast = useToast();

/** What is not there yet is not copied over what the clipboard holds. */
async function copy(): Promise<void> {
  if (props.text === '') return;
  try {
    await navigator.clipboard.writeText(props.text);
    toast.add({
      severity: 'secondary',
      summary: 'Copied',
      detail: props.hint ?? props.text.slice(0, 90),
      life: 3000,
    });
  } catch {
    toast.add({
      severity: 'error',
      summary: 'Your browser blocked copying',
      detail: 'Select the text and copy it manually.',
      life: 6000,
    });
  }
}
defineExpose({ copy });
</script>
<template>
  <Button :severity="main ? undefined : 'secondary'" :disabled="text === ''" @click="copy">
    <Copy :size="15" aria-hidden="true" /> {{ label }} <kbd v-if="keyName">{{ keyName }}</kbd>
  </Button>
</template>
