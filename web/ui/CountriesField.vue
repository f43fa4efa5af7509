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
const codes = computed(() => codesIn(typed.value, allCountries));
const options = computed(() => {
  // Codes that were pasted stay in sight, chosen; the search is ours, so that what the component looks at is what was typed.
  const found =
    codes.value.length > 1
      ? allCountries.filter((c) => codes.value.includes(c.code))
      : foundCountries(allCountries, typed.value);
  return found.map((c) => ({ ...c, found: typed.value }));
});
function search(text: string): void {
  typed.value = text;
  if (codes.value.length > 1) model.value = [...new Set([...model.value, ...codes.value])];
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
