<script setup lang="ts">
/** A day and a time of a zone, kept as an ISO moment or empty. A day without a time begins at midnight. */
import InputMask from 'primevue/inputmask';
import { momentOf, wallClock } from '@tracheon/core/time';
import { computed, ref, watch } from 'vue';
import DayField from './DayField.vue';
import { useFieldsDisabled } from './fieldsDisabled.ts';

const props = defineProps<{ zone: string; label: string; invalid?: boolean }>();
const model = defineModel<string>({ required: true });
const groupDisabled = useFieldsDisabled();
const two = (n: number): string => String(n).padStart(2, '0');
const clock = computed(() => (model.value === '' ? null : wallClock(model.value, props.zone)));
const day = computed({
  get: () => (clock.value ? `${clock.value.year}-${two(clock.value.month)}-${two(clock.value.day)}` : ''),
  set: (text: string) => write(text, typed.value),
});
/** As it is typed; what is no time yet changes nothing. */
const typed = ref('');
/** A text, so that the same moment set again, as by a draft that has been saved, leaves what is being typed. */
const time = computed(() => (clock.value ? `${two(clock.value.hour)}:${two(clock.value.minute)}` : ''));
watch(time, (now) => (typed.value = now), { immediate: true });
function write(dayText: string, timeText: string): void {
  const [year, month, date] = dayText.split('-').map(Number);
  if (dayText === '') return void (model.value = '');
  const [, hour = '0', minute = '0'] = /^([01]\d|2[0-3]):([0-5]\d)$/.exec(timeText) ?? [];
  model.value = momentOf(
    { year: year!, month: month!, day: date!, hour: Number(hour), minute: Number(minute) },
    props.zone,
  );
}
</script>
<template>
  <span class="moment">
    <DayField v-model="day" class="day" :aria-label="label" :invalid="invalid" />
    <InputMask
      v-model="typed"
      class="time"
      mask="99:99"
      placeholder="hh:mm"
      :aria-label="`${label}, time`"
      :disabled="groupDisabled || day === ''"
      :invalid="invalid"
      @blur="write(day, typed)"
      @complete="write(day, typed)"
    />
  </span>
</template>
<style scoped>
.moment {
  display: inline-flex;
  gap: 4px;
}
.day {
  width: 150px;
}
.time {
  width: 66px;
}
</style>
