<script setup lang="ts">
/** What partners get for conversions of the offer, by event type; who decides, and for whom it differs. */
import Checkbox from 'primevue/checkbox';
import { payoutApprovals, type OfferInput, type PayoutApproval } from '@tracheon/core/contract';
import { useParts } from '../../app/parts.ts';
import { newRow } from '../../shared/newRows.ts';
import { allCountries } from '../../ui/countries.ts';
import NumberField from '../../ui/NumberField.vue';
import PickOne from '../../ui/PickOne.vue';
import RowsField from '../../ui/RowsField.vue';
import EventTypePick from './EventTypePick.vue';
import PartnerAmountFields from './PartnerAmountFields.vue';

const body = defineModel<OfferInput>({ required: true });
const props = defineProps<{ error: (path: string) => string | undefined }>();
const parts = useParts();
const approvals = Object.entries(payoutApprovals).map(([value, { label }]) => ({
  value: value as PayoutApproval,
  label,
}));
const countries = [
  { value: '', label: 'any country' },
  ...allCountries.map((c) => ({ value: c.code, label: c.name })),
];
/** Everything that is wrong with a row; the fields themselves are only marked. */
const troubles = (path: string, fields: readonly string[]): string[] =>
  fields.flatMap((field) => props.error(`${path}.${field}`) ?? []);
</script>
<template>
  <p class="quiet small">
    What partners get for conversions of visits that come through their links from now on.
  </p>
  <RowsField
    v-slot="{ row, i }"
    v-model="body.partnerPayouts"
    add="Add partner payout"
    one="partner payout"
    :make="newRow.partnerPayout"
    tall
  >
    <div class="line">
      <EventTypePick
        v-model="row.eventTypeId"
        :aria-label="`Event type of partner payout ${i + 1}`"
        :invalid="!!error(`partnerPayouts.${i}.eventTypeId`)"
      />
      <PartnerAmountFields
        :model-value="row"
        :currency="body.currency"
        :of="`of partner payout ${i + 1}`"
        :amount-error="error(`partnerPayouts.${i}.amountMicros`)"
        :percent-error="error(`partnerPayouts.${i}.percent`)"
      />
    </div>
    <div class="row small approval">
      <span>Tracheon approves the payout</span>
      <PickOne
        v-model="row.approval"
        :aria-label="`Approval of partner payout ${i + 1}`"
        :options="approvals"
      />
      <label v-if="row.approval === 'days'" class="row small"
        ><NumberField
          v-model="row.afterDays"
          class="days"
          min="1"
          max="365"
          :aria-label="`Days of partner payout ${i + 1}`"
          :invalid="!!error(`partnerPayouts.${i}.afterDays`)"
        />
        days</label
      >
    </div>
    <p class="quiet small">{{ payoutApprovals[row.approval].meaning }}</p>
    <p
      v-for="trouble in troubles(`partnerPayouts.${i}`, [
        'eventTypeId',
        'amountMicros',
        'percent',
        'afterDays',
      ])"
      :key="trouble"
      class="error small"
      role="alert"
    >
      {{ trouble }}
    </p>
    <label class="row small"
      ><Checkbox v-model="row.mayExceedRevenue" binary /> Allow a payout above what the advertiser pays</label
    >
    <RowsField
      v-slot="{ row: one, i: n }"
      v-model="row.exceptions"
      class="exceptions"
      add="Add exception by partner or country"
      one="exception"
      :make="newRow.partnerException"
    >
      <div class="line four">
        <PickOne
          v-model="one.partnerId"
          :aria-label="`Partner of exception ${n + 1}`"
          :invalid="!!error(`partnerPayouts.${i}.exceptions.${n}.partnerId`)"
          :options="[
            { value: '', label: 'any partner' },
            ...parts.of('partner', true).map((p) => ({ value: p.id, label: p.body.name })),
          ]"
        />
        <PickOne v-model="one.country" :aria-label="`Country of exception ${n + 1}`" :options="countries" />
        <PartnerAmountFields
          :model-value="one"
          :currency="body.currency"
          :of="`of exception ${n + 1}`"
          :amount-error="error(`partnerPayouts.${i}.exceptions.${n}.amountMicros`)"
          :percent-error="error(`partnerPayouts.${i}.exceptions.${n}.percent`)"
        />
        <p
          v-for="trouble in troubles(`partnerPayouts.${i}.exceptions.${n}`, [
            'partnerId',
            'country',
            'amountMicros',
            'percent',
          ])"
          :key="trouble"
          class="error small"
          role="alert"
        >
          {{ trouble }}
        </p>
      </div>
    </RowsField>
  </RowsField>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.line {
  display: grid;
  grid-template-columns: 1fr 1fr 130px;
  gap: 6px;
  align-items: center;
  width: 100%;
  margin-bottom: 4px;
}
.four {
  grid-template-columns: 1fr 1fr 1fr 130px;
}
.line > p {
  grid-column: 1 / -1;
}
p {
  margin: 2px 0;
}
.approval {
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr) max-content;
  gap: 8px;
  align-items: center;
  margin-bottom: 4px;
}
@media (max-width: 600px) {
  .approval {
    grid-template-columns: 1fr;
  }
}
.days :deep(input) {
  width: 64px;
}
.exceptions {
  padding-left: 14px;
  border-left: 1px solid var(--hairline);
}
@media (max-width: 600px) {
  .line,
  .four {
    grid-template-columns: 1fr;
  }
}
</style>
