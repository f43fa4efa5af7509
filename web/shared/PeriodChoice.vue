<script setup lang="ts">
import Button from 'primevue/button';
import SegmentChoice from '../ui/SegmentChoice.vue';
import { ChevronLeft, ChevronRight } from '@lucide/vue';
import { useKeys } from '../app/keys.ts';
import { earlier, later, period, stepsBack } from './period.ts';

useKeys([
  { key: 'Shift+ArrowLeft', words: 'The period before', run: earlier },
  { key: 'Shift+ArrowRight', words: 'The period after', run: later },
]);
const names = [
  { value: 'today' as const, label: 'Today' },
  { value: '7d' as const, label: '7 days' },
  { value: '30d' as const, label: '30 days' },
];
</script>
<template>
  <div class="row">
    <SegmentChoice v-model="period" :options="names" label="Period" />
    <div class="segments" role="group" aria-label="Move the period">
      <Button severity="secondary" aria-label="The period before" @click="earlier">
        <ChevronLeft :size="15" aria-hidden="true" />
      </Button>
      <Button severity="secondary" aria-label="The period after" :disabled="stepsBack === 0" @click="later">
        <ChevronRight :size="15" aria-hidden="true" />
      </Button>
    </div>
  </div>
</template>
