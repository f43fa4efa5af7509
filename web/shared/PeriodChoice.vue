<script setup lang="ts">
import { ChevronLeft, ChevronRight } from '@lucide/vue';
import { useKeys } from '../app/keys.ts';
import { earlier, later, period, stepsBack } from './period.ts';

useKeys([
  { key: 'Shift+ArrowLeft', words: 'The period before', run: earlier },
  { key: 'Shift+ArrowRight', words: 'The period after', run: later },
]);
const names = { today: 'Today', '7d': '7 days', '30d': '30 days' } as const;
</script>
<template>
  <div class="row">
    <div class="segments" role="group" aria-label="Period">
      <button
        v-for="(word, key) in names"
        :key="key"
        type="button"
        :aria-pressed="period === key"
        @click="period = key"
      >
        {{ word }}
      </button>
    </div>
    <div class="segments" role="group" aria-label="Move the period">
      <button type="button" aria-label="The period before" @click="earlier">
        <ChevronLeft :size="15" aria-hidden="true" />
      </button>
      <button type="button" aria-label="The period after" :disabled="stepsBack === 0" @click="later">
        <ChevronRight :size="15" aria-hidden="true" />
      </button>
    </div>
  </div>
</template>
