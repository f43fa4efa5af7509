<script setup lang="ts">
/** A calendar in which a first and a last day are picked. The picker's Dates are read by their calendar fields only. */
import DatePicker from 'primevue/datepicker';
import { computed, ref, watch } from 'vue';
import { calendarDay, pickerDate } from './calendarDays.ts';

const props = defineProps<{ label: string; latest: string }>();
const model = defineModel<{ from: string; to: string }>({ required: true });
/** Between the two clicks there is a first day only. */
const picked = ref<(Date | null)[]>([]);
watch(model, ({ from, to }) => (picked.value = [pickerDate(from), pickerDate(to)]), {
  immediate: true,
  deep: true,
});
const latest = computed(() => pickerDate(props.latest) ?? undefined);
function pick(days: unknown): void {
  picked.value = days as (Date | null)[];
  const [from, to] = picked.value;
  if (from && to) model.value = { from: calendarDay(from), to: calendarDay(to) };
}
</script>
<template>
  <DatePicker
    inline
    selection-mode="range"
    :model-value="picked as Date[]"
    :max-date="latest"
    :manual-input="false"
    :aria-label="label"
    @update:model-value="pick"
  />
</template>
