<script setup lang="ts">
/** Who the test visitor is, and what the test postback says. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { statuses, type TestConversion } from '@tracheon/core/contract';
import { useParts } from '../../app/parts.ts';
import AmountInput from '../../ui/AmountInput.vue';
import { allCountries } from '../../ui/countries.ts';
import PickOne from '../../ui/PickOne.vue';
import type { TestVisitor } from './sendTest.ts';

defineProps<{
  /** Of the tracking link. */
  parameters: string[];
}>();
defineEmits<{ copyLink: [] }>();
const visitor = defineModel<TestVisitor>('visitor', { required: true });
const conversion = defineModel<Required<TestConversion>>('conversion', { required: true });
const parts = useParts();
</script>
<template>
  <div class="settings">
    <label
      >Country
      <PickOne
        v-model="visitor.country"
        :options="[
          { value: '', label: 'detect from my address' },
          ...allCountries.map((c) => ({ value: c.code, label: c.name })),
        ]"
    /></label>
    <label
      >Device
      <PickOne
        v-model="visitor.device"
        :options="[
          { value: 'phone', label: 'Android phone' },
          { value: 'iphone', label: 'iPhone' },
          { value: 'tablet', label: 'tablet' },
          { value: 'desktop', label: 'desktop' },
        ]"
    /></label>
    <label v-for="p in parameters" :key="p"
      ><code>{{ p }}</code>
      <InputText
        :model-value="visitor.values?.[p] ?? ''"
        placeholder="sample value"
        class="mono-input"
        @update:model-value="(visitor.values ??= {})[p] = $event ?? ''"
    /></label>
    <label
      >Event type
      <PickOne
        v-model="conversion.eventTypeId"
        :options="[
          { value: '', label: 'not specified' },
          ...parts.of('event-type').map((e) => ({ value: e.id, label: e.body.name })),
        ]"
    /></label>
    <label
      >Status
      <PickOne
        v-model="conversion.status"
        :options="[{ value: '', label: 'not specified' }, ...statuses.map((s) => ({ value: s, label: s }))]"
    /></label>
    <label>Payout <AmountInput v-model="conversion.payoutMicros" /></label>
    <label>Transaction <InputText v-model="conversion.transaction" /></label>
    <Button variant="link" class="small" @click="$emit('copyLink')">Copy test link for your phone</Button>
  </div>
</template>
<style scoped>
.settings {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(130px, 1fr));
  gap: 6px 10px;
}
.settings label {
  display: grid;
  gap: 2px;
  font-size: 12px;
}
</style>
