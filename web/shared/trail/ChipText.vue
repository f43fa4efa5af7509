<script setup lang="ts">
/** A value under which something travels: our token, their macro, or a plain value that really went by. */
import { computed } from 'vue';
import { cutLink } from '../chips.ts';

const props = defineProps<{ text: string; expander: 'we' | 'they' }>();
const pieces = computed(() => cutLink(props.text, props.expander));
</script>
<template>
  <span class="mono"
    ><span v-for="(p, i) in pieces" :key="i" :class="p.kind === 'host' ? 'text' : p.kind">{{
      p.text
    }}</span></span
  >
</template>
<style scoped>
.mono {
  overflow-wrap: anywhere;
  margin-left: 4px;
}
.ours {
  background: var(--chip);
  color: var(--chip-ink);
  padding: 0 6px 0 11px;
  border-radius: 0 3px 3px 0;
  clip-path: polygon(0 0, 100% 0, 100% 100%, 0 100%, 6px 50%);
  white-space: nowrap;
}
.theirs {
  border: 1px dashed var(--border);
  padding: 0 4px;
  white-space: nowrap;
}
</style>
