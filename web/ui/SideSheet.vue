<script setup lang="ts">
/** Editing beside the list: a sheet from the right that keeps the list in view. Escape closes it; the draft stays. */
import Drawer from 'primevue/drawer';
import { nextTick, onBeforeUnmount } from 'vue';

defineProps<{ title: string; says?: string }>();
const open = defineModel<boolean>('open', { required: true });
/** Where the member was; there they go on when the sheet closes. */
const before = document.activeElement as HTMLElement | null;
onBeforeUnmount(() => void nextTick(() => before?.isConnected && before.focus()));
</script>
<template>
  <Drawer
    v-model:visible="open"
    position="right"
    :header="title"
    class="side-sheet"
    style="width: min(720px, 100vw)"
    :block-scroll="true"
    :pt="{ root: { 'aria-label': title } }"
  >
    <p v-if="says" class="quiet lead">{{ says }}</p>
    <slot />
  </Drawer>
</template>
<style>
.side-sheet.p-drawer {
  background: var(--sheet);
  color: var(--ink);
  border: 0;
  border-left: 1px solid var(--border);
  box-shadow: none;
}
.side-sheet .p-drawer-header {
  padding: 14px 18px 4px;
}
.side-sheet .p-drawer-title {
  font-size: 18px;
  font-weight: 700;
}
.side-sheet .p-drawer-content {
  padding: 0 18px 24px;
  /* The foot stays in sight: a focused field scrolls clear of it. */
  scroll-padding-bottom: 76px;
}
.side-sheet .lead {
  margin-bottom: 12px;
}
.p-drawer-mask.p-overlay-mask {
  background: var(--veil);
}
</style>
