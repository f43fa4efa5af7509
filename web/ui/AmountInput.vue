<script setup lang="ts">
/**
 * An amount as people type it. The model is micro-units in decimal text; empty when nothing stands there; what cannot
 * be read goes into the model behind a mark, so that the form's schema refuses it and says why.
 */
import InputText from 'primevue/inputtext';
import { UNREADABLE } from '@tracheon/core/contract';
import { formatAmount, parseAmount } from '@tracheon/core/money';
import { ref, watch } from 'vue';

defineProps<{ id?: string; describedby?: string; invalid?: boolean; label?: string }>();
const model = defineModel<string>({ required: true });

const asModel = (typed: string): string => {
  const parsed = parseAmount(typed);
  if (parsed.ok) return parsed.micros.toString();
  return parsed.problem === 'empty' ? '' : UNREADABLE + typed;
};
const asText = (value: string): string => {
  if (value === '') return '';
  return value.startsWith(UNREADABLE) ? value.slice(1) : formatAmount(BigInt(value));
};
const text = ref(asText(model.value));
watch(model, (now) => {
  if (now !== asModel(text.value)) text.value = asText(now);
});
</script>
<template>
  <InputText
    :id="id"
    v-model="text"
    inputmode="decimal"
    autocomplete="off"
    :aria-label="label"
    :aria-describedby="describedby"
    :invalid="invalid"
    @input="model = asModel(text)"
  />
</template>
