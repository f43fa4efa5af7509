<script setup lang="ts">
/** Which days a screen is about: a named period, or any range out of a calendar; and what it is compared with. */
import Button from 'primevue/button';
import Listbox from 'primevue/listbox';
import Popover from 'primevue/popover';
import { CalendarDays, ChevronLeft, ChevronRight } from '@lucide/vue';
import { computed, ref } from 'vue';
import { periodNames, type DayRange, type PeriodName } from '@tracheon/core/time';
import { useKeys } from '../app/keys.ts';
import DayRangeField from '../ui/DayRangeField.vue';
import { dayRange } from '../ui/format.ts';
import SegmentChoice from '../ui/SegmentChoice.vue';
import { comparedWith, isCompared, periodWords, usePeriod } from './period.ts';

const { range, before, name, today, choose, earlier, later, isLatest } = usePeriod();
useKeys([
  { key: 'Shift+ArrowLeft', words: 'Previous period', run: earlier },
  { key: 'Shift+ArrowRight', words: 'Next period', run: later },
]);
const popover = ref<InstanceType<typeof Popover> | null>(null);
const names = periodNames.map((value) => ({ value, label: periodWords[value] }));
const shownName = computed(() => (name.value ? periodWords[name.value] : 'Any range'));
function pickName(value: PeriodName | null): void {
  if (value) choose({ name: value });
  popover.value?.hide();
}
const compareChoices = [
  { value: 'nothing', label: 'nothing' },
  { value: 'before', label: 'period before' },
  { value: 'other', label: 'other days' },
];
const compared = computed({
  get: () => (typeof comparedWith.value === 'string' ? comparedWith.value : 'other'),
  set: (next: string) =>
    (comparedWith.value = next === 'other' ? { ...before.value } : (next as 'nothing' | 'before')),
});
function pickRange(picked: DayRange): void {
  choose({ range: picked });
  popover.value?.hide();
}
</script>
<template>
  <div class="row">
    <Button
      severity="secondary"
      aria-haspopup="dialog"
      :aria-label="`Period: ${shownName}, ${dayRange(range.from, range.to)}`"
      @click="popover?.toggle($event)"
    >
      <CalendarDays :size="15" aria-hidden="true" /> {{ shownName }}
    </Button>
    <div class="segments" role="group" aria-label="Previous or next period">
      <Button severity="secondary" aria-label="Previous period" @click="earlier">
        <ChevronLeft :size="15" aria-hidden="true" />
      </Button>
      <Button severity="secondary" aria-label="Next period" :disabled="isLatest" @click="later">
        <ChevronRight :size="15" aria-hidden="true" />
      </Button>
    </div>
    <Popover ref="popover" aria-label="Period">
      <div class="choice">
        <div>
          <Listbox
            :model-value="name"
            :options="names"
            option-label="label"
            option-value="value"
            scroll-height="none"
            aria-label="Named periods"
            @update:model-value="pickName"
          />
          <p class="compare">Compare with</p>
          <SegmentChoice v-model="compared" label="Compare with" :options="compareChoices" />
          <p v-if="isCompared" class="quiet">{{ dayRange(before.from, before.to) }}</p>
        </div>
        <DayRangeField
          v-if="compared === 'other'"
          label="Days to compare with"
          :model-value="before"
          :latest="today"
          @update:model-value="(picked) => (comparedWith = picked)"
        />
        <DayRangeField
          v-else
          label="Any range"
          :model-value="range"
          :latest="today"
          @update:model-value="pickRange"
        />
      </div>
    </Popover>
  </div>
</template>
<style scoped>
.choice {
  display: grid;
  grid-template-columns: 240px auto;
  gap: 14px;
}
@media (max-width: 700px) {
  .choice {
    grid-template-columns: minmax(0, 1fr);
  }
}
.compare {
  margin: 10px 0 4px;
  font-weight: 600;
}
</style>
