<script setup lang="ts">
/** Tags as a line of words with commas between, completed from the tags that the desk already uses. */
import AutoComplete from 'primevue/autocomplete';
import { ref, watch } from 'vue';
import { useParts } from '../app/parts.ts';
import FormField from '../ui/FormField.vue';

const model = defineModel<string[]>({ required: true });
defineProps<{ error?: string | undefined }>();
const parts = useParts();
const text = ref(model.value.join(', '));
const options = ref<string[]>([]);
/** Escape closes the list first, then the sheet around it. */
const isOpen = ref(false);
const split = (line: string): string[] =>
  line
    .split(',')
    .map((t) => t.trim())
    .filter(Boolean);
watch(text, (now) => {
  const tags = split(now);
  if (tags.join('\n') !== model.value.join('\n')) model.value = tags;
});
watch(model, (now) => {
  if (now.join('\n') !== split(text.value).join('\n')) text.value = now.join(', ');
});
/** Each option is the line with its last word completed. */
function look({ query }: { query: string }): void {
  const own = split(query);
  const isComplete = /,\s*$/.test(query);
  const done = isComplete ? own : own.slice(0, -1);
  const begun = isComplete ? '' : (own.at(-1) ?? '').toLowerCase();
  const known = new Set(parts.all.flatMap((p) => (p.body as { tags?: string[] }).tags ?? []));
  options.value = [...known]
    .filter((t) => !done.includes(t) && t.toLowerCase().startsWith(begun))
    .map((t) => [...done, t].join(', '));
}
</script>
<template>
  <FormField
    v-slot="{ id, invalid, described }"
    label="Tags"
    hint="Separate tags with commas."
    :error="error"
  >
    <AutoComplete
      v-model="text"
      :input-id="id"
      :suggestions="options"
      :delay="0"
      :show-empty-message="false"
      fluid
      :invalid="invalid"
      :pt="{ pcInputText: { root: { 'aria-describedby': described } } }"
      @show="isOpen = true"
      @hide="isOpen = false"
      @keydown.escape="isOpen && $event.stopPropagation()"
      @complete="look"
    />
  </FormField>
</template>
