<script setup lang="ts">
/** What the rows of a feed of revenue mean: which field is our click ID, and which amounts belong to which event type. */
import InputText from 'primevue/inputtext';
import type { FeedInput } from '@tracheon/core/contract';
import FormField from '../../ui/FormField.vue';
import PickOne from '../../ui/PickOne.vue';
import RowsField from '../../ui/RowsField.vue';

const body = defineModel<FeedInput>({ required: true });
defineProps<{
  eventTypes: { value: string; label: string }[];
  error: (path: string) => string | undefined;
}>();
</script>
<template>
  <FormField
    v-slot="{ id, invalid }"
    label="Field with our click ID"
    hint="The sub-ID into which you put {click_id} in the offer’s link."
    :error="error('slotAt')"
  >
    <InputText
      :id="id"
      v-model.trim="body.slotAt"
      class="mono"
      :invalid="invalid"
      autocomplete="off"
      placeholder="sub2"
    />
  </FormField>
  <RowsField
    v-slot="{ row, i }"
    v-model="body.counters"
    title="Revenue"
    add="Add amount"
    one="amount"
    :make="() => ({ amountAt: '', eventTypeId: '' })"
  >
    <FormField
      v-slot="{ id, invalid }"
      label="Field with the amount"
      :error="error(`counters.${i}.amountAt`)"
    >
      <InputText
        :id="id"
        v-model.trim="row.amountAt"
        class="mono"
        :invalid="invalid"
        autocomplete="off"
        placeholder="revenue"
      />
    </FormField>
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
