<script setup lang="ts">
/** A link with our tokens as notched slate chips, their macros as dashed squares, fixed text plain. */
import { computed } from 'vue';
import { cutLink } from './chips.ts';

const props = defineProps<{
  link: string;
  expander: 'we' | 'they';
  /** Within a line of other text, beside the name that it belongs to. */
  tight?: boolean;
}>();
const pieces = computed(() => cutLink(props.link, props.expander));
</script>
<template>
  <span class="link mono" :class="{ tight }"
    ><template v-for="(p, i) in pieces" :key="i"
      ><span
        :class="p.kind"
        :title="p.kind === 'ours' ? 'our token' : p.kind === 'theirs' ? 'macro of the partner' : undefined"
        >{{ p.text }}</span
      ></template
    ></span
  >
</template>
<style scoped>
.link {
  overflow-wrap: anywhere;
  line-height: 1.9;
}
.tight {
  line-height: inherit;
  margin-left: 4px;
}
.host {
  font-weight: 700;
}
.ours {
  background: var(--chip);
  color: var(--chip-ink);
  padding: 1px 6px 1px 11px;
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
