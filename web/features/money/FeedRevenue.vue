<script setup lang="ts">
/** What the rows of a feed of revenue mean: which field is our click ID, and which amounts belong to which event type. */
import type { FeedInput } from '@tracheon/core/contract';
import FormField from '../../ui/FormField.vue';
import PickOne from '../../ui/PickOne.vue';
import RowsField from '../../ui/RowsField.vue';
import TextField from '../../ui/TextField.vue';

const body = defineModel<FeedInput>({ required: true });
defineProps<{
  eventTypes: { value: string; label: string }[];
  error: (path: string) => string | undefined;
}>();
</script>
<template>
  <TextField
    v-model.trim="body.slotAt"
    label="Field with our click ID"
    hint="The sub-ID into which you put {click_id} in the offer’s link."
    :error="error('slotAt')"
    mono
    placeholder="sub2"
  />
  <RowsField
    v-slot="{ row, i }"
    v-model="body.counters"
    title="Revenue"
    add="Add amount"
    one="amount"
    :make="() => ({ amountAt: '', eventTypeId: '' })"
  >
    <TextField
      v-model.trim="row.amountAt"
      label="Field with the amount"
      :error="error(`counters.${i}.amountAt`)"
      mono
      placeholder="revenue"
    />
    <FormField v-slot="{ id, invalid }" label="Event type" :error="error(`counters.${i}.eventTypeId`)">
      <PickOne
        :id="id"
        v-model="row.eventTypeId"
        :options="eventTypes"
        placeholder="Choose the event type"
        :invalid="invalid"
      />
    </FormField>
  </RowsField>
</template>
