<script setup lang="ts">
import Button from 'primevue/button';
import { Copy } from '@lucide/vue';
import { useCopy } from './useCopy.ts';

const props = defineProps<{ text: string; label: string; hint?: string; main?: boolean; keyName?: string }>();
const copyText = useCopy();
const copy = (): Promise<void> => copyText(props.text, props.hint);
defineExpose({ copy });
</script>
<template>
  <Button :severity="main ? undefined : 'secondary'" :disabled="text === ''" @click="copy">
    <Copy :size="15" aria-hidden="true" /> {{ label }} <kbd v-if="keyName">{{ keyName }}</kbd>
  </Button>
</template>
