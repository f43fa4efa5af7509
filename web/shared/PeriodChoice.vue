<script setup lang="ts">
import Button from 'primevue/button';
import SegmentChoice from '../ui/SegmentChoice.vue';
import { ChevronLeft, ChevronRight } from '@lucide/vue';
import { useKeys } from '../app/keys.ts';
import { earlier, later, period, stepsBack } from './period.ts';

useKeys([
  { key: 'Shift+ArrowLeft', words: 'Previous period', run: earlier },
  { key: 'Shift+ArrowRight', words: 'Next period', run: later },
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
    <div class="segments" role="group" aria-label="Previous or next period">
      <Button severity="secondary" aria-label="Previous period" @click="earlier">
        <ChevronLeft :size="15" aria-hidden="true" />
      </Button>
      <Button severity="secondary" aria-label="Next period" :disabled="stepsBack === 0" @click="later">
        <ChevronRight :size="15" aria-hidden="true" />
      </Button>
    </div>
  </div>
</template>
