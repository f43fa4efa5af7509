<script setup lang="ts">
/** What partners get for one conversion, or for all that a list shows: approved, rejected or held, with a reason. */
import type { ConversionRow, PayoutDecision } from '@tracheon/core/contract';
import { ref } from 'vue';
import { ask } from '../../app/api.ts';
import FormField from '../../ui/FormField.vue';
import PickOne from '../../ui/PickOne.vue';
import HandForm from './HandForm.vue';

defineProps<{
  conversion?: ConversionRow;
  /** What the list is narrowed by, where all of it is decided. */
  query?: Record<string, string>;
}>();
defineEmits<{ changed: []; cancel: [] }>();
const decision = ref<PayoutDecision>('approved');
const options: { value: PayoutDecision; label: string }[] = [
  { value: 'approved', label: 'Approve' },
  { value: 'rejected', label: 'Reject' },
  { value: 'pending', label: 'Hold until a member decides' },
];
const change = (ids: string[], reason: string, batchId: string) =>
  ask('reviewPayouts', { body: { ids, decision: decision.value, reason, batchId } });
</script>
<template>
  <HandForm
    label="Review partner payouts"
    :actions="{ one: 'Save decision', all: 'Decide all in the list' }"
    :conversion-id="conversion?.id"
    :query="query"
    is-ready
    reason-hint="Stays in the history of the conversion. The revenue does not change."
    :change="change"
    @changed="$emit('changed')"
    @cancel="$emit('cancel')"
  >
    <FormField v-slot="{ id }" label="Partner payout">
      <PickOne :id="id" v-model="decision" :options="options" />
    </FormField>
  </HandForm>
</template>
