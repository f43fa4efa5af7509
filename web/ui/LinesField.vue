<script setup lang="ts">
/** A list of short texts, a line each: hosts, addresses, formats. */
import Textarea from 'primevue/textarea';
import { ref, watch } from 'vue';
import FormField from './FormField.vue';

const model = defineModel<string[]>({ required: true });
const props = defineProps<{
  label: string;
  hint?: string;
  error?: string | undefined;
  mono?: boolean;
  rows?: number;
  /** A comma belongs to the value. */
  byLine?: boolean;
}>();
const split = (lines: string): string[] =>
  lines
    .split(props.byLine ? '\n' : /[\n,]/)
    .map((l) => l.trim())
    .filter(Boolean);
const text = ref(model.value.join('\n'));
watch(text, (now) => {
  const lines = split(now);
  if (lines.join('\n') !== model.value.join('\n')) model.value = lines;
});
watch(model, (now) => {
  if (now.join('\n') !== split(text.value).join('\n')) text.value = now.join('\n');
});
</script>
<template>
  <FormField v-slot="{ id, invalid, described }" :label="label" :hint="hint" :error="error">
    <Textarea
      :id="id"
      v-model="text"
      :rows="rows ?? 2"
      :class="{ 'mono-input': mono }"
      spellcheck="false"
      :invalid="invalid"
      :aria-describedby="described"
    />
  </FormField>
</template>
