<script setup lang="ts" generic="V extends string | number">
/** Any number of a list: PrimeVue's MultiSelect, with a search field. */
import MultiSelect from 'primevue/multiselect';
import { useFieldsDisabled } from './fieldsDisabled.ts';

defineProps<{
  options: { value: V; label: string }[];
  id?: string;
  ariaLabel?: string;
  placeholder?: string;
  disabled?: boolean;
  invalid?: boolean;
}>();
const model = defineModel<V[]>({ required: true });
const groupDisabled = useFieldsDisabled();
const MOST_NAMED = 6;
</script>
<template>
  <MultiSelect
    v-model="model"
    :options="options"
    option-label="label"
    option-value="value"
    filter
    :input-id="id"
    :aria-label="ariaLabel"
    :aria-labelledby="ariaLabel || !id ? undefined : `${id}-label`"
    :max-selected-labels="MOST_NAMED"
    :placeholder="placeholder"
    :invalid="invalid"
    :disabled="disabled || groupDisabled"
  />
</template>
