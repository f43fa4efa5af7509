<script setup lang="ts" generic="V extends string | number">
/** One of a list: PrimeVue's Select, with the native habit that an empty value can be a choice of its own. */
import { PlainSelect as Select } from './plainSelect.ts';
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
/** Select takes an empty value for *nothing chosen*; behind a key each value is one like the others. */
const keyOf = (value: V): string => `=${value}`;
const keyed = computed(() => props.options.map((o) => ({ ...o, key: keyOf(o.value) })));
const chosenKey = computed(() => (model.value === undefined ? null : keyOf(model.value)));
function pick(key: string): void {
  const value = keyed.value.find((o) => o.key === key)!.value;
  model.value = value;
  emit('change', value);
}
</script>
<template>
  <Select
    :model-value="chosenKey"
    :options="keyed"
    option-label="label"
    option-value="key"
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
