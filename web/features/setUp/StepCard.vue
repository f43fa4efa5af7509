<script setup lang="ts">
/** A step of the sheet: its number, what it holds in one line, and its fields while it is the one that is worked on. */
import Button from 'primevue/button';
import FieldGroup from '../../ui/FieldGroup.vue';
import { Check } from '@lucide/vue';

defineProps<{
  n: number;
  title: string;
  summary: string;
  done: boolean;
  open: boolean;
  /** Its fields can be read, and not changed. */
  locked?: boolean;
}>();
const emit = defineEmits<{ pick: [] }>();
/**
 * Picking a step closes another one, and what is below moves up: never between the press of a button and its release,
 * nor while a list of choices is open. By keyboard at once, by pointer once the click or the choice is made.
 */
let isPressed = false;
function onFocus(): void {
  if (!isPressed) emit('pick');
}
function onClick(event: MouseEvent): void {
  isPressed = false;
  // A list of choices that is open lies outside of the card; its combobox picks the step by its focus.
  if (!(event.target as Element).closest('[role="combobox"]')) emit('pick');
}
</script>
<template>
  <section
    class="sheet step"
    :aria-label="`Step ${n}: ${title}`"
    @pointerdown.capture="isPressed = true"
    @focusin="onFocus"
    @click="onClick"
    @change="$emit('pick')"
  >
    <Button variant="text" severity="secondary" class="head" :aria-expanded="open">
      <span class="number" :class="{ done }"
        ><Check v-if="done" :size="13" :stroke-width="3" aria-hidden="true" /><template v-else>{{
          n
        }}</template>
        <span v-if="done" class="visually-hidden">done</span></span
      >
      <strong>{{ title }}</strong>
      <span class="quiet summary">{{ summary }}</span>
    </Button>
    <FieldGroup v-if="open" class="fields" :disabled="locked"><slot /></FieldGroup>
  </section>
</template>
<style scoped>
.head {
  all: unset;
  box-sizing: border-box;
  cursor: pointer;
  display: flex;
  align-items: baseline;
  gap: 10px;
  width: 100%;
  padding: 10px 14px;
}
.head:focus-visible {
  outline: 2px solid var(--action);
  outline-offset: 2px;
  border-radius: 6px;
}
.number {
  flex: none;
  align-self: center;
  width: 20px;
  height: 20px;
  border-radius: 50%;
  border: 1.5px solid var(--ink);
  display: inline-grid;
  place-items: center;
  font-size: 11.5px;
  font-weight: 700;
}
.number.done {
  background: var(--ink);
  color: var(--ground);
}
.summary {
  overflow-wrap: anywhere;
  min-width: 0;
}
.fields {
  border: 0;
  margin: 0;
  min-width: 0;
  padding: 0 14px 12px;
  display: grid;
  gap: 8px;
}
</style>
