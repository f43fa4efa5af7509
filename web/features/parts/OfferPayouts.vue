<script setup lang="ts">
/** Amounts that differ by event type, country and day. The best fitting row counts, as it stood on the day of the visit. */
import PickOne from '../../ui/PickOne.vue';
import DayField from '../../ui/DayField.vue';
import type { OfferInput } from '@tracheon/core/contract';
import AmountInput from '../../ui/AmountInput.vue';
import { allCountries } from '../../ui/countries.ts';
import RowsField from '../../ui/RowsField.vue';
import { newRow } from '../../shared/newRows.ts';
import EventTypePick from './EventTypePick.vue';

const body = defineModel<OfferInput>({ required: true });
defineProps<{ error: (path: string) => string | undefined }>();
</script>
<template>
  <RowsField
    v-slot="{ row, i }"
    v-model="body.payouts"
    add="Add amount by event type, country or day"
    one="payout"
    :make="newRow.payout"
  >
    <div class="line">
      <EventTypePick
        v-model="row.eventTypeId"
        any-label="any event type"
        :aria-label="`Event type of payout ${i + 1}`"
      />
      <PickOne
        v-model="row.country"
        :aria-label="`Country of payout ${i + 1}`"
        :options="[
          { value: '', label: 'any country' },
          ...allCountries.map((c) => ({ value: c.code, label: c.name })),
        ]"
      />
      <AmountInput
        v-model="row.amountMicros"
        :label="`Amount of payout ${i + 1}`"
        :invalid="!!error(`payouts.${i}.amountMicros`)"
      />
      <label class="row small"
        >from <DayField v-model="row.validFrom" :aria-label="`First day of payout ${i + 1}`"
      /></label>
      <p v-if="error(`payouts.${i}.amountMicros`)" class="error small">
        {{ error(`payouts.${i}.amountMicros`) }}
      </p>
    </div>
  </RowsField>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.line {
  display: grid;
  grid-template-columns: 1fr 1.1fr 90px auto;
  gap: 6px;
  align-items: center;
  width: 100%;
}
.line .row {
  flex-wrap: nowrap;
}
.line .row input {
  width: 128px;
}
.line > p {
  grid-column: 1 / -1;
  margin: 0;
}
</style>
