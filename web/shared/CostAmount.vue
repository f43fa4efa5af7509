<script setup lang="ts">
/** What a cost model needs besides its name: an amount, a share, an event type. */
import type { CampaignInput } from '@tracheon/core/contract';
import { computed } from 'vue';
import { useParts } from '../app/parts.ts';
import AmountInput from '../ui/AmountInput.vue';
import FormField from '../ui/FormField.vue';
import MoneyField from '../ui/MoneyField.vue';
import NumberField from '../ui/NumberField.vue';
import PickOne from '../ui/PickOne.vue';
import { costAmountLabels } from './costWords.ts';

const props = defineProps<{
  model: CampaignInput['costModel'];
  /** By field. */
  error: (field: 'costMicros' | 'costCurrency' | 'costShare') => string | undefined;
  usual?: string;
}>();
const micros = defineModel<string>('micros', { required: true });
const currency = defineModel<string>('currency', { required: true });
const share = defineModel<string>('share', { required: true });
const eventTypeId = defineModel<string>('eventTypeId', { required: true });
const parts = useParts();
const eventTypes = computed(() => [
  { value: '', label: 'all that count as conversion' },
  ...parts.of('event-type').map((e) => ({ value: e.id, label: e.body.name })),
]);
const PERCENT = 1e6;
const percent = computed<number>({
  get: () => (share.value === '0' ? NaN : Number(share.value) / PERCENT),
  set: (value) => (share.value = Number.isNaN(value) ? '0' : String(Math.round(value * PERCENT))),
});
const hint = computed(
  () =>
    ({
      link: 'Tracheon flags visits that cost 20 times more or less. The amount is in the source’s currency.',
      thousand: 'Put the impression pixel into your ads. Tracheon spreads the cost of a day over its visits.',
      conversion: 'Pending and approved conversions cost this much. Rejected ones cost nothing.',
    })[props.model as string] ?? '',
);
</script>
<template>
  <MoneyField
    v-if="costAmountLabels[model] && model !== 'link'"
    v-model:amount="micros"
    v-model:currency="currency"
    :label="costAmountLabels[model]!"
    :hint="hint"
    :error="error('costMicros') ?? error('costCurrency')"
    :usual="usual ?? ''"
  />
  <FormField
    v-else-if="model === 'link'"
    v-slot="{ id, invalid, described }"
    :label="costAmountLabels.link!"
    :hint="hint"
    :error="error('costMicros')"
  >
    <AmountInput :id="id" v-model="micros" :invalid="invalid" :describedby="described" />
  </FormField>
  <FormField v-if="model === 'conversion'" v-slot="{ id }" label="Event type">
    <PickOne :id="id" v-model="eventTypeId" :options="eventTypes" />
  </FormField>
  <FormField
    v-if="model === 'share'"
    v-slot="{ id, invalid }"
    label="Share of revenue, in percent"
    hint="Of pending and approved revenue."
    :error="error('costShare')"
  >
    <NumberField :id="id" v-model="percent" :min="0" :max="100" :decimals="4" :invalid="invalid" />
  </FormField>
</template>
