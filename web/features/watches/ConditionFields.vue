<script setup lang="ts">
/** One condition: a figure, how it compares, a number and its unit. */
import type { WatchCondition } from '@tracheon/core/contract';
import { computed } from 'vue';
import NumberField from '../../ui/NumberField.vue';
import PickOne from '../../ui/PickOne.vue';
import { comparisonChoices, isTypedInPercent, unitChoices, type Choice } from './watchWords.ts';

const condition = defineModel<WatchCondition>({ required: true });
const props = defineProps<{
  figures: Choice[];
  currency: string;
  label: string;
  error?: string | undefined;
}>();
const units = computed(() => unitChoices(condition.value.figure, props.currency));
function changeFigure(): void {
  if (!units.value.some((u) => u.value === condition.value.unit)) condition.value.unit = 'own';
}
const typed = computed({
  get: () =>
    isTypedInPercent(condition.value)
      ? Number((condition.value.than * 100).toFixed(6))
      : condition.value.than,
  set: (n: number | undefined) =>
    (condition.value.than = isTypedInPercent(condition.value) ? (n ?? NaN) / 100 : (n ?? NaN)),
});
</script>
<template>
  <div class="condition">
    <PickOne
      v-model="condition.figure"
      :options="figures"
      :aria-label="`${label}: figure`"
      @change="changeFigure"
    />
    <span>is</span>
    <PickOne v-model="condition.is" :options="comparisonChoices" :aria-label="`${label}: comparison`" />
    <NumberField
      v-model="typed"
      class="number"
      :decimals="4"
      :aria-label="`${label}: number`"
      :invalid="!!error"
    />
    <PickOne
      v-if="units.length > 1"
      v-model="condition.unit"
      :options="units"
      :aria-label="`${label}: unit`"
    />
    <span v-else-if="units[0]!.label !== 'number'">{{ units[0]!.label }}</span>
    <p v-if="error" class="error">{{ error }}</p>
  </div>
</template>
<style scoped>
.condition {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 8px;
}
.condition :deep(.p-select) {
  width: auto;
  max-width: 220px;
}
.number {
  width: 90px;
}
.number :deep(input) {
  width: 100%;
}
p {
  flex-basis: 100%;
}
</style>
