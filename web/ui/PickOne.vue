<script setup lang="ts" generic="V extends string | number | boolean">
/** One of a list: PrimeVue's Select, with the native habit that an empty value can be a choice of its own. */
import Select from 'primevue/select';
import { computed } from 'vue';
import { useFieldsDisabled } from './fieldsDisabled.ts';

export interface Choice<T> {
  value: T;
  label: string;
  disabled?: boolean;
}
const props = defineProps<{
  options: Choice<V>[];
  /** ID of the combobox; its visible label has the ID with `-label` behind it (FormField makes both). */
  id?: string;
  ariaLabel?: string;
  invalid?: boolean;
  disabled?: boolean;
  placeholder?: string;
  ariaDescribedby?: string;
}>();
const model = defineModel<V>();
const emit = defineEmits<{ change: [value: V] }>();
const groupDisabled = useFieldsDisabled();
/** Longer lists get a search field. */
const MANY_CHOICES = 12;
const isLong = computed(() => props.options.length > MANY_CHOICES);
function pick(value: V): void {
  model.value = value;
  emit('change', value);
}
</script>
<template>
  <Select
    :model-value="model"
    :options="options"
    option-label="label"
    option-value="value"
    option-disabled="disabled"
    :label-id="id"
    :aria-label="ariaLabel"
    :aria-labelledby="ariaLabel || !id ? undefined : `${id}-label`"
    :invalid="invalid"
    :disabled="disabled || groupDisabled"
    :placeholder="placeholder"
    :filter="isLong"
    auto-filter-focus
    reset-filter-on-hide
    :pt="{ label: { 'aria-describedby': ariaDescribedby } }"
    @update:model-value="pick"
  />
</template>
