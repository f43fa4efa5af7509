<script setup lang="ts">
/** When an offer takes visitors, and where they go when it does not. */
import { capPeriods, offerStates, type OfferInput } from '@tracheon/core/contract';
import type { LinkContext } from '@tracheon/core/links';
import { computed } from 'vue';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import FormField from '../../shared/FormField.vue';
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
      label="It takes visitors"
      :hint="body.sending === 'live' ? '' : 'Its visitors fall back.'"
    >
      <select :id="id" v-model="body.sending">
        <option v-for="s in offerStates" :key="s" :value="s">
          {{ { draft: 'not yet: a draft', live: 'yes: live', paused: 'no: paused', ended: 'no: ended' }[s] }}
        </option>
      </select>
    </FormField>
    <FormField
      v-slot="{ id, invalid }"
      label="Zone of its days"
      hint="Empty: the desk’s."
      :error="error('zone')"
    >
      <input :id="id" v-model.trim="body.zone" placeholder="Europe/Brussels" :aria-invalid="invalid" />
    </FormField>
    <FormField v-slot="{ id, invalid }" label="From" :error="error('startsOn')">
      <input :id="id" v-model="body.startsOn" type="date" :aria-invalid="invalid" />
    </FormField>
    <FormField v-slot="{ id, invalid }" label="To, that day included" :error="error('endsOn')">
      <input :id="id" v-model="body.endsOn" type="date" :aria-invalid="invalid" />
    </FormField>
    <FormField
      v-slot="{ id, invalid, described }"
      label="Cap on conversions"
      hint="0: none. Pending and approved count; what is on its way when it is reached still comes."
      :error="error('capCount')"
    >
      <span class="row">
        <input
          :id="id"
          v-model.number="body.capCount"
          type="number"
          min="0"
          class="few"
          :aria-invalid="invalid"
          :aria-describedby="described"
        />
        <select v-model="body.capPeriod" aria-label="Cap per">
          <option v-for="p in capPeriods" :key="p" :value="p">
            {{ p === 'total' ? 'in all' : `a ${p}` }}
          </option>
        </select>
      </span>
    </FormField>
    <FormField v-slot="{ id, invalid }" label="Stop at, % of the cap" :error="error('capStopsAt')">
      <input
        :id="id"
        v-model.number="body.capStopsAt"
        type="number"
        min="1"
        max="100"
        class="few"
        :aria-invalid="invalid"
      />
    </FormField>
  </div>
  <FormField v-slot="{ id, invalid }" label="Falls back on the offer" :error="error('fallbackOfferId')">
    <select :id="id" v-model="body.fallbackOfferId" :aria-invalid="invalid">
      <option value="">none</option>
      <option v-for="o in parts.of('offer')" v-show="o.id !== offerId" :key="o.id" :value="o.id">
        {{ o.body.name }}
      </option>
    </select>
  </FormField>
  <UrlField
    v-model="body.fallbackUrl"
    label="Else on this address"
    hint="Empty: visitors see a plain page."
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
