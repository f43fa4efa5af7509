<script setup lang="ts">
/** Amounts that differ by event type, country and day. The best fitting row counts, as it stood on the day of the visit. */
import PickOne from '../../ui/PickOne.vue';
import DayField from '../../ui/DayField.vue';
import Button from 'primevue/button';
import type { OfferInput } from '@tracheon/core/contract';
import { Plus, X } from '@lucide/vue';
import { useParts } from '../../app/parts.ts';
import AmountInput from '../../ui/AmountInput.vue';
import { allCountries } from '../../ui/countries.ts';

const body = defineModel<OfferInput>({ required: true });
defineProps<{ error: (path: string) => string | undefined }>();
const parts = useParts();
</script>
<template>
  <div class="words">
    <div v-for="(p, i) in body.payouts" :key="i" class="line">
      <PickOne
        v-model="p.eventTypeId"
        :aria-label="`Event type of payout ${i + 1}`"
        :options="[
          { value: '', label: 'any event type' },
          ...parts.of('event-type').map((e) => ({ value: e.id, label: e.body.name })),
        ]"
      />
      <PickOne
        v-model="p.country"
        :aria-label="`Country of payout ${i + 1}`"
        :options="[
          { value: '', label: 'any country' },
          ...allCountries.map((c) => ({ value: c.code, label: c.name })),
        ]"
      />
      <AmountInput
        v-model="p.amountMicros"
        :label="`Amount of payout ${i + 1}`"
        :invalid="!!error(`payouts.${i}.amountMicros`)"
      />
      <label class="row small"
        >from <DayField v-model="p.validFrom" :aria-label="`First day of payout ${i + 1}`"
      /></label>
      <Button variant="link" :aria-label="`Remove payout ${i + 1}`" @click="body.payouts.splice(i, 1)">
        <X :size="15" />
      </Button>
      <p v-if="error(`payouts.${i}.amountMicros`)" class="error small">
        {{ error(`payouts.${i}.amountMicros`) }}
      </p>
    </div>
    <Button
      variant="link"
      @click="body.payouts.push({ eventTypeId: '', country: '', amountMicros: '', validFrom: '' })"
    >
      <Plus :size="14" aria-hidden="true" /> Add amount by event type, country or day
    </Button>
  </div>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.line {
  display: grid;
  grid-template-columns: 1fr 1.1fr 90px auto 24px;
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
