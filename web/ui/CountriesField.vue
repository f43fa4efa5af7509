<script setup lang="ts">
/** Any number of countries: by name, by exact code first, or several codes pasted at once (`DE AT CH`). */
import MultiSelect from 'primevue/multiselect';
import { computed, ref } from 'vue';
import { allCountries } from './countries.ts';
import { codesIn, foundCountries } from './countrySearch.ts';
import { useFieldsDisabled } from './fieldsDisabled.ts';
import FormField from './FormField.vue';

defineProps<{ label?: string; hint?: string; placeholder?: string; error?: string | undefined }>();
const model = defineModel<string[]>({ required: true });
const groupDisabled = useFieldsDisabled();
const typed = ref('');
const MOST_NAMED = 6;
const options = computed(() =>
  // The search is ours: what the component looks at is always what was typed.
  foundCountries(allCountries, typed.value).map((c) => ({ ...c, found: typed.value })),
);
function search(text: string): void {
  const codes = codesIn(text, allCountries);
  if (codes.length > 1) model.value = [...new Set([...model.value, ...codes])];
  typed.value = codes.length > 1 ? '' : text;
}
</script>
<template>
  <FormField v-slot="{ id }" :label="label ?? 'Countries'" :hint="hint" :error="error">
    <MultiSelect
      v-model="model"
      :options="options"
      option-label="name"
      option-value="code"
      filter
      :filter-fields="['found']"
      filter-placeholder="Name, code, or codes such as DE AT CH"
      :input-id="id"
      :aria-labelledby="`${id}-label`"
      :max-selected-labels="MOST_NAMED"
      :placeholder="placeholder ?? 'Any country'"
      :disabled="groupDisabled"
      @filter="search($event.value)"
      @hide="typed = ''"
    />
  </FormField>
</template>
