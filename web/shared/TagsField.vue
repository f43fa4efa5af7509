<script setup lang="ts">
/** Tags as a line of words with commas between, completed from those that the desk has already. */
import { computed, ref, useId, watch } from 'vue';
import { useParts } from '../app/parts.ts';
import FormField from './FormField.vue';

const model = defineModel<string[]>({ required: true });
defineProps<{ error?: string | undefined }>();
const parts = useParts();
const listId = useId();
const text = ref(model.value.join(', '));
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
/** Each completes the line with one more of the desk's tags. */
const completions = computed(() => {
  const own = split(text.value);
  const begun = /,\s*$/.test(text.value) ? own : own.slice(0, -1);
  const known = new Set(parts.all.flatMap((p) => (p.body as { tags?: string[] }).tags ?? []));
  return [...known].filter((t) => !begun.includes(t)).map((t) => [...begun, t].join(', '));
});
</script>
<template>
  <FormField v-slot="{ id, invalid, described }" label="Tags" hint="Commas between them." :error="error">
    <input
      :id="id"
      v-model="text"
      :list="listId"
      autocomplete="off"
      :aria-invalid="invalid"
      :aria-describedby="described"
    />
    <datalist :id="listId">
      <option v-for="c in completions" :key="c" :value="c" />
    </datalist>
  </FormField>
</template>
