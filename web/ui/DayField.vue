<script setup lang="ts">
/** One day, as `YYYY-MM-DD` or empty. The picker's Date is read by its calendar fields, never as an instant. */
import DatePicker from 'primevue/datepicker';
import { computed } from 'vue';
import { calendarDay, pickerDate } from './calendarDays.ts';
import { useFieldsDisabled } from './fieldsDisabled.ts';

defineProps<{ id?: string; ariaLabel?: string; invalid?: boolean; disabled?: boolean }>();
const model = defineModel<string>({ required: true });
const groupDisabled = useFieldsDisabled();
const shown = computed({
  get: () => pickerDate(model.value),
  set: (day: Date | null) => (model.value = day ? calendarDay(day) : ''),
});
</script>
<template>
  <DatePicker
    v-model="shown"
    :input-id="id"
    :aria-label="ariaLabel"
    date-format="yy-mm-dd"
    placeholder="yyyy-mm-dd"
    show-icon
    icon-display="input"
    show-button-bar
    :invalid="invalid"
    :disabled="disabled || groupDisabled"
    :pt="{ pcInputText: { root: { inputmode: 'numeric' } } }"
  />
</template>
