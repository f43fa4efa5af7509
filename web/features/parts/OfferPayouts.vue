<script setup lang="ts">
/** Amounts that differ by event type, country and day. The best fitting row counts, as it stood on the day of the visit. */
import type { OfferInput } from '@tracheon/core/contract';
import { Plus, X } from '@lucide/vue';
import { useParts } from '../../app/parts.ts';
import AmountInput from '../../shared/AmountInput.vue';
import { allCountries } from '../../shared/countries.ts';

const body = defineModel<OfferInput>({ required: true });
defineProps<{ error: (path: string) => string | undefined }>();
const parts = useParts();
</script>
<template>
  <div class="words">
    <div v-for="(p, i) in body.payouts" :key="i" class="line">
      <select v-model="p.eventTypeId" :aria-label="`Event type of payout ${i + 1}`">
        <option value="">any event</option>
        <option v-for="e in parts.of('event-type')" :key="e.id" :value="e.id">{{ e.body.name }}</option>
      </select>
      <select v-model="p.country" :aria-label="`Country of payout ${i + 1}`">
        <option value="">any country</option>
        <option v-for="c in allCountries" :key="c.code" :value="c.code">{{ c.name }}</option>
      </select>
      <AmountInput
        v-model="p.amountMicros"
        :label="`Amount of payout ${i + 1}`"
        :invalid="!!error(`payouts.${i}.amountMicros`)"
      />
      <label class="row small"
        >from <input v-model="p.validFrom" type="date" :aria-label="`First day of payout ${i + 1}`"
      /></label>
      <button
        type="button"
        class="bare"
        :aria-label="`Remove payout ${i + 1}`"
        @click="body.payouts.splice(i, 1)"
      >
        <X :size="15" />
      </button>
      <p v-if="error(`payouts.${i}.amountMicros`)" class="error small">
        {{ error(`payouts.${i}.amountMicros`) }}
      </p>
    </div>
    <button
      type="button"
      class="bare"
      @click="body.payouts.push({ eventTypeId: '', country: '', amountMicros: '', validFrom: '' })"
    >
      <Plus :size="14" aria-hidden="true" /> Another amount by event type, country or day
    </button>
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
