<script setup lang="ts">
/** The one change that repairs a group, as a sentence with one choice. Null as long as the choice is not made. */
import type { NetworkFix, RepairGroup } from '@tracheon/core/contract';
import { isCurrency, statusMeanings } from '@tracheon/core/contract';
import { remedyOf } from '@tracheon/core/conversions';
import { computed, ref, watch } from 'vue';
import { useParts } from '../../../app/parts.ts';
import PickOne from '../../../ui/PickOne.vue';

const props = defineProps<{ group: RepairGroup }>();
const fix = defineModel<NetworkFix | null>({ required: true });
const parts = useParts();
const remedy = computed(() => remedyOf(props.group));
const chosen = ref('');
const statusOptions = statusMeanings.map((m) => ({ value: m as string, label: m as string }));
const eventOptions = computed(() => parts.of('event-type').map((e) => ({ value: e.id, label: e.body.name })));
const currencyOptions = Intl.supportedValuesOf('currency')
  .filter(isCurrency)
  .map((code) => ({ value: code, label: code }));
const markOptions = [
  { value: '.', label: 'the point' },
  { value: ',', label: 'the comma' },
];
const parameterOptions = computed(() =>
  props.group.clickIdIn.map((p) => ({ value: p.parameter, label: p.parameter })),
);
const word = computed(() => props.group.detail);

function made(): NetworkFix | null {
  const value = chosen.value;
  switch (remedy.value) {
    case 'none':
      return { kind: 'none' };
    case 'negative':
      return { kind: 'negative' };
    case 'address':
      return { kind: 'address', range: word.value };
    case 'parameter':
      return value === '' ? null : { kind: 'parameter', field: 'click_id', parameter: value };
    case 'decimal_mark':
      return value === '' ? null : { kind: 'decimal_mark', mark: value as '.' | ',' };
    case 'status_word':
      return value === ''
        ? null
        : { kind: 'status_word', word: word.value, means: value as (typeof statusMeanings)[number] };
    case 'event_word':
      return value === '' ? null : { kind: 'event_word', word: word.value, eventTypeId: value };
    case 'currency_word':
      return value === '' ? null : { kind: 'currency_word', word: word.value, currency: value };
    default:
      return null;
  }
}
// What the postbacks themselves show is certain; what a word means is not.
watch(
  () => [props.group.networkId, props.group.reason, props.group.key].join('|'),
  () => (chosen.value = remedy.value === 'parameter' ? (props.group.clickIdIn[0]?.parameter ?? '') : ''),
  { immediate: true },
);
watch([chosen, remedy], () => (fix.value = made()), { immediate: true });
</script>
<template>
  <span class="row choice">
    <template v-if="remedy === 'status_word'"
      ><span>Map <code>{{ word }}</code> to</span
      ><PickOne
        v-model="chosen"
        :aria-label="`Meaning of ${word}`"
        :options="statusOptions"
        placeholder="Choose the status"
    /></template>
    <template v-else-if="remedy === 'event_word'"
      ><span>Map <code>{{ word }}</code> to</span
      ><PickOne
        v-model="chosen"
        :aria-label="`Meaning of ${word}`"
        :options="eventOptions"
        placeholder="Choose the event type"
      /><RouterLink to="/parts/event-type">New event type</RouterLink></template
    >
    <template v-else-if="remedy === 'currency_word'"
      ><span>Map <code>{{ word }}</code> to</span
      ><PickOne
        v-model="chosen"
        :aria-label="`Meaning of ${word}`"
        :options="currencyOptions"
        placeholder="Choose the currency"
    /></template>
    <template v-else-if="remedy === 'decimal_mark'"
      ><span>The decimal mark of {{ group.networkName }} is</span
      ><PickOne v-model="chosen" aria-label="Decimal mark" :options="markOptions" placeholder="Choose"
    /></template>
    <template v-else-if="remedy === 'parameter'"
      ><span>Read the click ID from the parameter</span
      ><PickOne v-model="chosen" aria-label="Parameter with the click ID" :options="parameterOptions"
    /></template>
    <span v-else-if="remedy === 'negative'">Read negative payouts as refunds</span>
    <span v-else-if="remedy === 'address'">Add <code>{{ word }}</code> to the allowed addresses</span>
    <span v-else-if="remedy === 'none'">Look for the visits again</span>
    <span v-if="remedy !== 'none'" class="quiet">for this network, from now on and for these postbacks</span>
  </span>
</template>
<style scoped>
.choice {
  flex-wrap: wrap;
}
.choice :deep(.p-select) {
  width: auto;
  min-width: 190px;
}
</style>
