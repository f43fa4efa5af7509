<script setup lang="ts">
/** When an offer takes visitors, and where they go when it does not. */
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
import UrlField from '../../shared/urlField/UrlField.vue';

const body = defineModel<OfferInput>({ required: true });
defineProps<{
  error: (path: string) => string | undefined;
  offerId?: string | undefined;
  disabled?: boolean;
}>();
const parts = useParts();
const session = useSession();
const tokens = useDeskTokens('visit');
const context = computed<LinkContext>(() => ({
  expander: 'we',
  place: 'visit',
  ownOrigins: session.me?.trackingOrigins ?? [],
}));
</script>
<template>
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
            label: { draft: 'draft', live: 'live', paused: 'paused', ended: 'ended' }[s],
          })),
        ]"
      />
    </FormField>
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
        <PickOne
          v-model="body.capPeriod"
          aria-label="Cap per"
          :options="[
            ...capPeriods.map((p) => ({ value: p, label: p === 'total' ? 'in total' : `per ${p}` })),
          ]"
        />
      </span>
    </FormField>
    <FormField v-slot="{ id, invalid }" label="Stop at (% of the cap)" :error="error('capStopsAt')">
      <NumberField :id="id" v-model="body.capStopsAt" min="1" max="100" class="few" :invalid="invalid" />
    </FormField>
  </div>
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
