<script setup lang="ts">
/** A text in which tokens are completed while typing: by their opening mark, then by name or meaning. */
import { computed, nextTick, ref, useId } from 'vue';
import { completionAt, putIn, type Candidate, type Completion } from './completion.ts';

const props = defineProps<{
  id?: string;
  candidates: Candidate[];
  lines?: number;
  label?: string;
  invalid?: boolean;
  describedby?: string | undefined;
  disabled?: boolean;
  placeholder?: string;
}>();
const model = defineModel<string>({ required: true });
const own = useId();
const field = ref<HTMLInputElement | HTMLTextAreaElement | null>(null);
const completion = ref<Completion | null>(null);
const at = ref(0);
const listId = computed(() => `${own}-list`);

/** The field's own text: the model has it only after the next turn. */
function look(): void {
  const { value = '', selectionStart } = field.value ?? {};
  completion.value = completionAt(value, selectionStart ?? value.length, props.candidates);
  at.value = 0;
}
function close(): void {
  completion.value = null;
}
async function take(candidate: Candidate): Promise<void> {
  const { value } = completion;
  if (!value || !field.value) return;
  const put = putIn(model.value, field.value.selectionStart ?? 0, value, candidate);
  model.value = put.text;
  close();
  await nextTick();
  field.value.setSelectionRange(put.caret, put.caret);
}
function onKey(event: KeyboardEvent): void {
  const { value } = completion;
  if (!value) return;
  const n = value.options.length;
  if (event.key === 'ArrowDown') at.value = (at.value + 1) % n;
  else if (event.key === 'ArrowUp') at.value = (at.value + n - 1) % n;
  else if (event.key === 'Enter' || event.key === 'Tab') void take(value.options[at.value]!);
  else if (event.key === 'Escape') close();
  else return;
  // The sheet around it would close by Escape, the form be sent by Enter.
  event.preventDefault();
  event.stopPropagation();
}
function onInput(event: Event): void {
  model.value = (event.target as HTMLInputElement).value;
  look();
}
defineExpose({ focus: () => field.value?.focus() });
</script>
<template>
  <span class="token-input">
    <component
      :is="lines ? 'textarea' : 'input'"
      :id="id"
      ref="field"
      :value="model"
      :rows="lines"
      class="mono-input"
      spellcheck="false"
      autocomplete="off"
      role="combobox"
      aria-autocomplete="list"
      :aria-expanded="completion !== null"
      :aria-controls="listId"
      :aria-activedescendant="completion ? `${own}-${at}` : undefined"
      :aria-label="label"
      :aria-invalid="invalid"
      :aria-describedby="describedby"
      :disabled="disabled"
      :placeholder="placeholder"
      @input="onInput"
      @keydown="onKey"
      @blur="close"
    />
    <ul v-if="completion" :id="listId" role="listbox" aria-label="Tokens that fit">
      <li
        v-for="(c, i) in completion.options"
        :id="`${own}-${i}`"
        :key="c.text"
        role="option"
        :aria-selected="i === at"
        @mousedown.prevent="take(c)"
      >
        <code>{{ c.text }}</code> <span>{{ c.meaning }}</span>
      </li>
    </ul>
  </span>
</template>
<style scoped>
.token-input {
  position: relative;
  display: block;
  width: 100%;
}
.token-input > input,
.token-input > textarea {
  width: 100%;
}
ul {
  position: absolute;
  z-index: 30;
  left: 0;
  top: calc(100% + 2px);
  min-width: 300px;
  max-width: 480px;
  margin: 0;
  padding: 4px;
  list-style: none;
  background: var(--sheet);
  border: 1px solid var(--border);
  border-radius: 5px;
}
li {
  display: flex;
  gap: 10px;
  justify-content: space-between;
  padding: 4px 6px;
  border-radius: 3px;
  cursor: pointer;
  font-size: 12px;
}
li span {
  color: var(--quiet);
  text-align: right;
}
li[aria-selected='true'],
li:hover {
  background: var(--tint);
}
</style>
