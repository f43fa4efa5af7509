<script setup lang="ts">
/** Which visits and rows the table keeps: one chip for each filter, and a small form that adds one. */
import AutoComplete from 'primevue/autocomplete';
import Button from 'primevue/button';
import Popover from 'primevue/popover';
import { Plus, X } from '@lucide/vue';
import {
  MAX_FIGURE_FILTERS,
  MAX_VALUE_FILTERS,
  type FigureFilter,
  type ValueFilter,
} from '@tracheon/core/contract';
import { figureDefinitions, figureNames, groupingOf } from '@tracheon/core/metrics';
import { computed, ref, shallowRef, watch } from 'vue';
import NumberField from '../../ui/NumberField.vue';
import PickOne from '../../ui/PickOne.vue';
import {
  figureComparisonChoices,
  figureFilterText,
  figureFilterWords,
  figureUnit,
  typedFigure,
  valueComparisonChoices,
  valueFilterText,
  valueFilterWords,
} from './filters.ts';
import { groupingChoices, valueText, type NamedValues } from './groupingWords.ts';
import type { MoreFigure } from './moreFigures.ts';

const props = defineProps<{
  names: NamedValues;
  /** Figures beside those of the registry. */
  more: readonly MoreFigure[];
  currency: string;
  /** The name of a value, such as that of a campaign by its ID. */
  named: (by: string, value: string) => string;
  /** Values of a level that have the text in them, with their names. */
  suggest: (by: string, text: string) => Promise<{ value: string; name: string }[]>;
}>();
const only = defineModel<ValueFilter[]>('only', { required: true });
const having = defineModel<FigureFilter[]>('having', { required: true });
const chips = computed(() => [
  ...only.value.map((f, i) => ({
    key: valueFilterText(f),
    words: valueFilterWords(f, props.named),
    remove: () => (only.value = only.value.filter((_, n) => n !== i)),
  })),
  ...having.value.map((f, i) => ({
    key: figureFilterText(f),
    words: figureFilterWords(f, props.more),
    remove: () => (having.value = having.value.filter((_, n) => n !== i)),
  })),
]);
const isFull = computed(
  () => only.value.length >= MAX_VALUE_FILTERS || having.value.length >= MAX_FIGURE_FILTERS,
);

const menu = ref<InstanceType<typeof Popover> | null>(null);
const field = ref<string>('spentMicros');
const isFigure = computed(() => groupingOf(field.value) === undefined);
const fields = computed(() => [
  ...figureNames.map((value) => ({ value: value as string, label: figureDefinitions[value].label })),
  ...props.more.map(({ name, label }) => ({ value: name, label })),
  ...groupingChoices(props.names),
]);
const valueIs = ref<ValueFilter['is']>('is');
const figureIs = ref<FigureFilter['is']>('>');
const than = ref<number>(NaN);
type Suggestion = { value: string; label: string };
const typed = ref<Suggestion | string>('');
const suggestions = shallowRef<Suggestion[]>([]);
watch(field, () => (typed.value = ''));
async function look({ query }: { query: string }): Promise<void> {
  const found = await props.suggest(field.value, query).catch(() => []);
  suggestions.value = found.map((f) => ({ value: f.value, label: valueText(field.value, f.name) }));
}
const canAdd = computed(() => (isFigure.value ? !Number.isNaN(than.value) : typed.value !== ''));
function add(): void {
  if (!canAdd.value) return;
  if (isFigure.value) {
    const figure = field.value as FigureFilter['figure'];
    having.value = [
      ...having.value,
      { figure, is: figureIs.value, than: typedFigure(figure, than.value, props.more) },
    ];
  } else {
    const value = typeof typed.value === 'string' ? typed.value : typed.value.value;
    only.value = [...only.value, { by: field.value, is: valueIs.value, values: [value] }];
  }
  than.value = NaN;
  typed.value = '';
  menu.value?.hide();
}
</script>
<template>
  <div class="filters" role="group" aria-label="Filters">
    <span v-for="chip in chips" :key="chip.key" class="chip"
      >{{ chip.words
      }}<Button variant="text" :aria-label="`Remove filter: ${chip.words}`" @click="chip.remove()"
        ><X :size="14" aria-hidden="true" /></Button
    ></span>
    <Button severity="secondary" :disabled="isFull" aria-haspopup="dialog" @click="menu?.toggle($event)"
      ><Plus :size="14" aria-hidden="true" /> Add filter</Button
    >
    <Popover ref="menu" aria-label="Add filter">
      <form class="adding" @submit.prevent="add">
        <PickOne v-model="field" aria-label="Figure or value" :options="fields" />
        <template v-if="isFigure">
          <PickOne v-model="figureIs" aria-label="Comparison" :options="figureComparisonChoices" />
          <NumberField v-model="than" aria-label="Number" :decimals="6" />
          <span class="quiet">{{ figureUnit(field, currency, more) }}</span>
        </template>
        <template v-else>
          <PickOne v-model="valueIs" aria-label="Comparison" :options="valueComparisonChoices" />
          <AutoComplete
            v-model="typed"
            :suggestions="suggestions"
            option-label="label"
            dropdown
            :delay="200"
            :show-empty-message="false"
            :pt="{ pcInputText: { root: { 'aria-label': 'Value' } } }"
            @complete="look"
          />
        </template>
        <Button type="submit" :disabled="!canAdd">Add filter</Button>
      </form>
    </Popover>
  </div>
</template>
<style scoped>
.filters {
  display: inline-flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 6px;
}
.chip {
  display: inline-flex;
  align-items: center;
  gap: 2px;
  padding-left: 10px;
  border: 1px solid var(--border);
  border-radius: 3px;
  background: var(--sheet);
}
.adding {
  display: flex;
  align-items: center;
  gap: 8px;
}
</style>
