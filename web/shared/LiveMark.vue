<script setup lang="ts">
import { computed } from 'vue';
import { connected, health } from '../app/stream.ts';

const live = computed(() => connected.value && health.value?.database !== 'away');
const words = computed(() => (live.value ? 'live' : connected.value ? 'not live' : 'not live: reconnecting'));
</script>
<template>
  <span class="quiet live" role="status"
    ><span :class="live ? 'on' : 'off'" aria-hidden="true" /> {{ words }}</span
  >
</template>
<style scoped>
.live span {
  display: inline-block;
  width: 8px;
  height: 8px;
  border-radius: 50%;
  border: 2px solid var(--gain);
}
.live .on {
  background: var(--gain);
}
.live .off {
  border-color: var(--border);
}
</style>
