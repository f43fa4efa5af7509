<script setup lang="ts">
/** When an offer takes visitors, and where they go when it does not. */
import MultiSelect from 'primevue/multiselect';
import TextField from '../../ui/TextField.vue';
import ZoneField from '../../ui/ZoneField.vue';
import PickOne from '../../ui/PickOne.vue';
import DayField from '../../ui/DayField.vue';
import NumberField from '../../ui/NumberField.vue';
import { capPeriods, offerStates, type OfferInput } from '@tracheon/core/contract';
import type { LinkContext } from '@tracheon/core/links';
import { computed } from 'vue';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import FormField from '../../ui/FormField.vue';
import { useDeskTokens } from '../../shared/urlField/deskTokens.ts';
import OfferMoreCaps from './OfferMoreCaps.vue';
import OfferWaiting from './OfferWaiting.vue';
import UrlField from '../../shared/urlField/UrlField.vue';

const body = defineModel<OfferInput>({ required: true });
const props = defineProps<{
  error: (path: string) => string | undefined;
  offerId?: string | undefined;
  disabled?: boolean;
}>();
const parts = useParts();
const session = useSession();
const stateWords: Record<OfferInput['sending'], string> = {
  draft: 'draft',
  waiting: 'waiting for the partner’s page',
  live: 'live',
  paused: 'paused',
  ended: 'ended',
};
const periods = capPeriods.map((p) => ({ value: p, label: p === 'total' ? 'in total' : `per ${p}` }));
/** Offers with a cap of their own, and the one that is chosen, whatever has become of it. */
const holders = computed(() =>
  parts
    .of('offer')
    .filter(({ id, body: { capCount, capWithOfferId } }) =>
      id === body.value.capWithOfferId ? true : id !== props.offerId && capCount > 0 && capWithOfferId === '',
    )
    .map((o) => ({ value: o.id, label: o.body.name })),
);
const eventTypes = computed(() => parts.of('event-type').map((e) => ({ value: e.id, label: e.body.name })));
const tokens = useDeskTokens('visit');
const context = computed<LinkContext>(() => ({
  expander: 'we',
  place: 'visit',
  ownOrigins: session.me?.trackingOrigins ?? [],
}));
</script>
<template>
  <OfferWaiting v-if="body.sending === 'waiting' && offerId" :offer-id="offerId" />
  <div class="halves">
    <FormField
      v-slot="{ id }"
      label="Status"
      :hint="body.sending === 'live' ? '' : 'Visitors go to the fallback.'"
    >
      <PickOne
        :id="id"
        v-model="body.sending"
        :options="[
          ...offerStates.map((s) => ({
            value: s,
            label: stateWords[s],
          })),
        ]"
      />
    </FormField>
    <TextField
      v-if="body.sending === 'waiting'"
      v-model="body.expectedWords"
      label="Words on its page (optional)"
      hint="Tracheon tells you once the page answers and has these words."
      :error="error('expectedWords')"
    />
    <FormField v-slot="{ id, invalid }" label="Time zone of its days" :error="error('zone')">
      <ZoneField :id="id" v-model="body.zone" empty-label="Same as the desk" :invalid="invalid" />
    </FormField>
    <FormField v-slot="{ id, invalid }" label="From" :error="error('startsOn')">
      <DayField :id="id" v-model="body.startsOn" :invalid="invalid" />
    </FormField>
    <FormField v-slot="{ id, invalid }" label="Last day (inclusive)" :error="error('endsOn')">
      <DayField :id="id" v-model="body.endsOn" :invalid="invalid" />
    </FormField>
    <FormField
      v-if="holders.length > 0"
      v-slot="{ id, invalid, described }"
      label="Share the conversion cap of"
      hint="Conversions of both offers count together."
      :error="error('capWithOfferId')"
    >
      <PickOne
        :id="id"
        v-model="body.capWithOfferId"
        :invalid="invalid"
        :aria-describedby="described"
        :options="[{ value: '', label: 'no other offer' }, ...holders]"
      />
    </FormField>
    <template v-if="body.capWithOfferId === ''">
      <FormField
        v-slot="{ id, invalid, described }"
        label="Conversion cap"
        hint="0 = no cap. Pending and approved conversions count. Visitors already sent may still convert."
        :error="error('capCount')"
      >
        <span class="row">
          <NumberField
            :id="id"
            v-model="body.capCount"
            min="0"
            class="few"
            :invalid="invalid"
            :aria-describedby="described"
          />
          <PickOne v-model="body.capPeriod" aria-label="Cap per" :options="periods" />
        </span>
      </FormField>
      <template v-if="body.capCount > 0">
        <FormField v-slot="{ id, invalid }" label="Stop at (% of the cap)" :error="error('capStopsAt')">
          <NumberField :id="id" v-model="body.capStopsAt" min="1" max="100" class="few" :invalid="invalid" />
        </FormField>
        <FormField
          v-slot="{ id, invalid }"
          label="Event types that the cap counts"
          :error="error('capEventTypeIds')"
        >
          <MultiSelect
            v-model="body.capEventTypeIds"
            :input-id="id"
            :options="eventTypes"
            option-label="label"
            option-value="value"
            :show-toggle-all="false"
            :invalid="invalid"
            placeholder="all that count as conversions"
            display="comma"
          />
        </FormField>
      </template>
    </template>
    <FormField
      v-slot="{ id, invalid, described }"
      label="Visit cap"
      hint="0 = no cap. Tracheon never sends more visits than this. Bots, repeats and tests don’t count. Each server holds a few visits in reserve, so slightly fewer may be sent."
      :error="error('visitCapCount')"
    >
      <span class="row">
        <NumberField
          :id="id"
          v-model="body.visitCapCount"
          min="0"
          class="few"
          :invalid="invalid"
          :aria-describedby="described"
        />
        <PickOne v-model="body.visitCapPeriod" aria-label="Visit cap per" :options="periods" />
      </span>
    </FormField>
  </div>
  <OfferMoreCaps v-model="body" :error="error" />
  <FormField v-slot="{ id, invalid }" label="Fallback offer" :error="error('fallbackOfferId')">
    <PickOne
      :id="id"
      v-model="body.fallbackOfferId"
      :invalid="invalid"
      :options="[
        { value: '', label: 'none' },
        ...parts
          .of('offer')
          .filter((o) => o.id !== offerId)
          .map((o) => ({ value: o.id, label: o.body.name })),
      ]"
    />
  </FormField>
  <UrlField
    v-model="body.fallbackUrl"
    label="Fallback URL"
    hint="If both are empty, visitors see a short notice."
    :error="error('fallbackUrl')"
    :context="context"
    :candidates="tokens"
    :disabled="disabled"
  />
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.few {
  width: 90px;
}
.row {
  flex-wrap: nowrap;
}
</style>
