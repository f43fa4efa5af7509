<script setup lang="ts">
/** One short text in which tokens are completed while typing, by name or meaning: a value in the structure of a link. */
import AutoComplete from 'primevue/autocomplete';
import { ref } from 'vue';
import { completionAt, putIn, type Candidate, type Completion } from './completion.ts';

const props = defineProps<{
  candidates: Candidate[];
  label: string;
  disabled?: boolean;
  placeholder?: string;
}>();
const model = defineModel<string>({ required: true });
const completion = ref<Completion | null>(null);
const options = ref<Candidate[]>([]);
let caret = 0;
/** Escape closes the list first, then the sheet around it. */
const isOpen = ref(false);

function look(event: { originalEvent: Event; query: string }): void {
  const field = event.originalEvent.target as HTMLInputElement | null;
  caret = field?.selectionStart ?? event.query.length;
  completion.value = completionAt(event.query, caret, props.candidates);
  options.value = completion.value?.options ?? [];
}
/** What is typed is the model; what is chosen goes to where its beginning was typed. */
function update(value: string | Candidate | null): void {
  if (value === null || typeof value === 'string') model.value = value ?? '';
  else if (completion.value) model.value = putIn(model.value, caret, completion.value, value).text;
}
</script>
<template>
  <AutoComplete
    :model-value="model"
    :suggestions="options"
    option-label="text"
    :delay="0"
    :min-length="1"
    :show-empty-message="false"
    auto-option-focus
    input-class="mono-input"
    :aria-label="label"
    :disabled="disabled"
    :placeholder="placeholder"
    fluid
    :pt="{ pcInputText: { root: { spellcheck: 'false' } } }"
    @show="isOpen = true"
    @hide="isOpen = false"
    @keydown.escape="isOpen && $event.stopPropagation()"
    @complete="look"
    @update:model-value="update"
  >
    <template #option="{ option }">
      <code>{{ option.text }}</code> <span class="quiet">{{ option.meaning }}</span>
    </template>
  </AutoComplete>
</template>
