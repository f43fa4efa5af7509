<script setup lang="ts">
import { connected } from '../app/stream.ts';
</script>
<template>
  <span class="quiet live" role="status"
    ><span :class="connected ? 'on' : 'off'" aria-hidden="true" />
    {{ connected ? 'live' : 'not live: reconnecting' }}</span
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
