<script setup lang="ts">
/** The values of one comparison, by what its field is: countries, hours, yes or no, or words that are typed. */
import MultiSelect from 'primevue/multiselect';
import type { ConditionLeaf } from '@tracheon/core/contract';
import { conditionField } from '@tracheon/core/visits';
import { computed } from 'vue';
import { useParts } from '../../../app/parts.ts';
import CountriesField from '../../../ui/CountriesField.vue';
import LinesField from '../../../ui/LinesField.vue';
import PickOne from '../../../ui/PickOne.vue';
import SeenValues from './SeenValues.vue';
import { flagChoicesOf, hourChoices, weekdayChoices } from './editedCondition.ts';

const props = defineProps<{ leaf: ConditionLeaf; label: string; invalid: boolean }>();
const values = defineModel<string[]>({ required: true });

const parts = useParts();
const DEVICES = ['phone', 'tablet', 'desktop', 'tv', 'console', 'watch', 'other'];
const kind = computed(() => conditionField(props.leaf.on)?.kind ?? 'text');
const recordChoices = computed(() => {
  const of = props.leaf.on === 'brought_by' ? 'partner' : 'source';
  const records = parts.of(of).map((p) => ({ value: p.id, label: p.body.name }));
  return of === 'partner' ? [...records, { value: '', label: 'no partner' }] : records;
});
/** A short closed list. */
const choices = computed(() => {
  if (props.leaf.op !== 'is') return null;
  if (kind.value === 'offers') return parts.of('offer').map((o) => ({ value: o.id, label: o.body.name }));
  if (kind.value === 'record') return recordChoices.value;
  if (kind.value === 'weekday') return [...weekdayChoices];
  if (kind.value === 'hour') return [...hourChoices];
  if (props.leaf.on === 'device')
    return [...DEVICES.map((d) => ({ value: d, label: d })), { value: '', label: 'unknown' }];
  return null;
});
const isAmount = computed(() => kind.value === 'amount');
/** Money is typed in whole units and kept in micro-units; what is not known has a word of its own. */
const UNKNOWN = '(unknown)';
const typed = computed({
  get: () => values.value.map((v) => (isAmount.value ? String(Number(v) / 1e6) : v || UNKNOWN)),
  set: (list: string[]) => {
    values.value = list.map((v) =>
      isAmount.value ? String(Math.round(Number(v) * 1e6)) : v === UNKNOWN ? '' : v,
    );
  },
});
const hint = computed(() => {
  if (props.leaf.op === 'matches') return 'A regular expression per line (RE2 syntax).';
  if (kind.value === 'address') return 'One per line: 192.0.2.7 or 192.0.2.0/24.';
  if (props.leaf.op === 'is') return `One per line. ${UNKNOWN} stands for no value.`;
  return props.leaf.op === 'contains' ? 'One per line.' : '';
});
</script>
<template>
  <CountriesField
    v-if="leaf.on === 'country' && leaf.op === 'is'"
    v-model="values"
    label="Countries"
    placeholder="Choose countries"
  />
  <PickOne
    v-else-if="kind === 'flag'"
    :model-value="values[0] ?? 'yes'"
    :aria-label="label"
    :options="flagChoicesOf(leaf.on)"
    @update:model-value="(v) => (values = [String(v)])"
  />
  <MultiSelect
    v-else-if="choices"
    v-model="values"
    :options="choices"
    option-label="label"
    option-value="value"
    :show-toggle-all="false"
    :aria-label="label"
    :invalid="invalid"
    :placeholder="kind === 'offers' ? 'Choose offers' : 'Choose'"
    :filter="choices.length > 12"
    display="comma"
    class="wide"
  />
  <div v-else class="wide">
    <LinesField v-model="typed" :label="label" :hint="hint" by-line />
    <SeenValues v-if="leaf.op === 'is'" v-model="values" :field="leaf.on" :label="label" />
  </div>
</template>
<style scoped>
.wide {
  min-width: 220px;
  flex: 1;
}
</style>
