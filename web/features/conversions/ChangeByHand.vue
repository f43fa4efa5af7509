<script setup lang="ts">
/** Status or payout of one conversion, or of all that a list shows, changed by hand with a reason. */
import { statuses, type ConversionRow } from '@tracheon/core/contract';
import { parseAmount } from '@tracheon/core/money';
import { computed, ref } from 'vue';
import { ask } from '../../app/api.ts';
import TextField from '../../ui/TextField.vue';
import FormField from '../../ui/FormField.vue';
import PickOne from '../../ui/PickOne.vue';
import HandForm from './HandForm.vue';

defineProps<{
  conversion?: ConversionRow;
  /** What the list is narrowed by, where all of it is changed. */
  query?: Record<string, string>;
}>();
defineEmits<{ changed: []; cancel: [] }>();
const status = ref('');
const payout = ref('');
const options = [
  { value: '', label: 'as it is' },
  ...statuses.map((s) => ({ value: s as string, label: s as string })),
];
const amount = computed(() => (payout.value.trim() === '' ? null : parseAmount(payout.value.trim())));
const isReady = computed(
  () => (status.value !== '' || amount.value !== null) && (amount.value === null || amount.value.ok),
);
const change = (ids: string[], reason: string, batchId: string) =>
  ask('changeConversions', {
    body: {
      ids,
      status: status.value as never,
      payoutMicros: amount.value?.ok ? amount.value.micros.toString() : '',
      reason,
      batchId,
    },
  });
</script>
<template>
  <HandForm
    label="Change by hand"
    :actions="{ one: 'Change conversion', all: 'Change all in the list' }"
    :conversion-id="conversion?.id"
    :query="query"
    :is-ready="isReady"
    reason-hint="Stays in the history of the conversion."
    :change="change"
    @changed="$emit('changed')"
    @cancel="$emit('cancel')"
  >
    <FormField v-slot="{ id }" label="Status">
      <PickOne :id="id" v-model="status" :options="options" />
    </FormField>
    <TextField
      v-model="payout"
      label="Payout"
      :error="amount && !amount.ok ? 'Write 1234.50.' : undefined"
      :placeholder="conversion ? `as it is, in ${conversion.currency}` : 'as it is'"
    />
  </HandForm>
</template>
