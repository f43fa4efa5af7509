<script setup lang="ts">
/** A whole or decimal number without a unit. The model follows each keystroke; an empty field is NaN, which no schema accepts. */
import InputNumber from 'primevue/inputnumber';
import { useFieldsDisabled } from './fieldsDisabled.ts';

defineProps<{
  id?: string;
  min?: number | string;
  max?: number | string;
  /** Digits after the decimal point. */
  decimals?: number;
  ariaLabel?: string;
  invalid?: boolean;
  disabled?: boolean;
  placeholder?: string;
}>();
const model = defineModel<number>();
const groupDisabled = useFieldsDisabled();
function typed(value: string | number | null | undefined): void {
  model.value = value === null || value === undefined || value === '' ? NaN : Number(value);
}
</script>
<template>
  <InputNumber
    :model-value="Number.isNaN(model) ? null : model"
    :input-id="id"
    :min="min === undefined ? undefined : Number(min)"
    :max="max === undefined ? undefined : Number(max)"
    :max-fraction-digits="decimals ?? 0"
    :use-grouping="false"
    locale="en"
    :aria-label="ariaLabel"
    :invalid="invalid"
    :disabled="disabled || groupDisabled"
    :placeholder="placeholder"
    @input="typed($event.value)"
    @update:model-value="typed($event)"
  />
</template>
