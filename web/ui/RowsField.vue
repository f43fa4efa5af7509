<script setup lang="ts" generic="R extends object">
/**
 * A list of rows that grows and shrinks in a form: each row's fields in the slot, a button that removes it, one that adds
 * another and goes to its first field. Rows have IDs of their own, so that none takes over another's focus.
 */
import Button from 'primevue/button';
import { Plus, X } from '@lucide/vue';
import { nextTick, ref } from 'vue';
import { useFieldsDisabled } from './fieldsDisabled.ts';

const props = defineProps<{
  /** Of the button: what is added. */
  add: string;
  /** Of one row, in the label of what removes it: `status word` makes *Remove status word 2*. */
  one: string;
  make: () => R;
  title?: string;
  hint?: string;
  /** Each row holds further lines below its fields. */
  tall?: boolean;
}>();
const rows = defineModel<R[]>({ required: true });
defineSlots<{ default?: (props: { row: R; i: number }) => unknown; head?: () => unknown }>();
const disabled = useFieldsDisabled();
const list = ref<HTMLElement | null>(null);

const ids = new WeakMap<object, number>();
let last = 0;
function idOf(row: R): number {
  const known = ids.get(row);
  if (known !== undefined) return known;
  ids.set(row, ++last);
  return last;
}
const fields = (): HTMLElement[][] =>
  [...(list.value?.children ?? [])].map((row) => [
    ...row.querySelectorAll<HTMLElement>('input, textarea, [role="combobox"], [contenteditable="true"]'),
  ]);
async function addRow(): Promise<void> {
  rows.value.push(props.make());
  await nextTick();
  fields().at(-1)?.[0]?.focus();
}
async function remove(i: number): Promise<void> {
  rows.value.splice(i, 1);
  await nextTick();
  const rest = fields();
  (rest[Math.min(i, rest.length - 1)]?.[0] ?? list.value?.parentElement?.querySelector('button'))?.focus();
}
</script>
<template>
  <div class="rows">
    <h3 v-if="title">{{ title }}</h3>
    <p v-if="hint" class="quiet hint">{{ hint }}</p>
    <slot v-if="rows.length" name="head" />
    <div ref="list" class="list">
      <div v-for="(row, i) in rows" :key="idOf(row)" class="one">
        <div class="fields"><slot :row="row" :i="i" /></div>
        <Button
          variant="link"
          class="remove"
          :disabled="disabled"
          :aria-label="`Remove ${one} ${i + 1}`"
          @click="remove(i)"
        >
          <X :size="15" />
        </Button>
      </div>
    </div>
    <Button variant="link" :disabled="disabled" @click="addRow">
      <Plus :size="14" aria-hidden="true" /> {{ add }}
    </Button>
  </div>
</template>
<style scoped>
.rows {
  display: grid;
  gap: 4px;
  justify-items: start;
}
.rows h3 {
  font-weight: 600;
  font-size: 13px;
  margin: 0;
  padding: 4px 0;
}
.hint {
  font-size: 12px;
}
.list {
  display: grid;
  gap: 4px;
  width: 100%;
}
.list:empty {
  display: none;
}
.one {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 24px;
  gap: 6px;
  align-items: start;
}
.remove {
  padding-top: 6px;
}
</style>
