<script setup lang="ts">
/** A campaign: one source, one offer, what a visit costs. What does not agree along the chain is said here. */
import PickOne from '../../ui/PickOne.vue';
import RadioButton from 'primevue/radiobutton';
import Textarea from 'primevue/textarea';
import { campaignInput, costModels, wholeBody, type PartRecord } from '@tracheon/core/contract';
import { checkChain, type LinkContext } from '@tracheon/core/links';
import { campaignName } from '@tracheon/core/naming';
import { landingPagesOf, offersOf } from '@tracheon/core/routing';
import { computed } from 'vue';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import CostAmount from '../../shared/CostAmount.vue';
import CostSince from '../../shared/CostSince.vue';
import { costModelLabels } from '../../shared/costWords.ts';
import { allCountries } from '../../ui/countries.ts';
import FormField from '../../ui/FormField.vue';
import DraftSheet from '../../shared/DraftSheet.vue';
import NameField from '../../shared/NameField.vue';
import { useDeskTokens } from '../../shared/urlField/deskTokens.ts';
import UrlField from '../../shared/urlField/UrlField.vue';
import TagsField from '../../shared/TagsField.vue';
import { usePartForm } from '../../shared/usePartForm.ts';

const props = defineProps<{ part?: PartRecord<'campaign'> }>();
const open = defineModel<boolean>('open', { required: true });
const emit = defineEmits<{ saved: [id: string] }>();
const parts = useParts();
const session = useSession();
const form = usePartForm(
  'campaign',
  campaignInput,
  wholeBody('campaign', { name: '', sourceId: '', offerId: '', costCurrency: session.desk.currency }),
  props.part,
);
const { body, error } = form;
const source = computed(() => parts.one('source', body.sourceId));
const offer = computed(() => parts.one('offer', offersOf(body)[0] ?? ''));
const suggested = computed(() =>
  campaignName(session.desk.nameRules.campaign, {
    source: source.value?.body,
    offer: offer.value?.body,
    network: network.value?.body,
    page: page.value?.body,
    format: body.adFormat,
    country: body.country,
  }),
);
const tokens = useDeskTokens('visit');
const fallbackContext = computed<LinkContext>(() => ({
  expander: 'we',
  place: 'visit',
  ownOrigins: session.me?.trackingOrigins ?? [],
}));
const page = computed(() => parts.one('landing-page', landingPagesOf(body)[0] ?? ''));
const network = computed(() => offer.value && parts.one('network', offer.value.body.networkId));
const noCostParameter = computed(() =>
  body.costModel === 'link' && source.value && !source.value.body.parameters.some((p) => p.role === 'cost')
    ? `${source.value.body.name} has no cost parameter. Add one to the source, or enter a cost per visit.`
    : '',
);
const disagreements = computed(() =>
  source.value && offer.value && network.value
    ? checkChain({
        campaign: body,
        source: source.value.body,
        offer: offer.value.body,
        network: network.value.body,
        deskCurrency: session.desk.currency,
      })
    : [],
);
async function save(): Promise<void> {
  const record = await form.save();
  if (!record) return;
  open.value = false;
  emit('saved', record.id);
}
</script>
<template>
  <DraftSheet
    v-model:open="open"
    :title="part ? `Edit ${part.body.name}` : 'New campaign'"
    says="A campaign sends visits from one source to an offer and gives you the tracking link for the source."
    :form="form"
    :action="part ? 'Save' : 'Create campaign'"
    :save="save"
  >
    <FormField
      v-slot="{ id, invalid, described }"
      label="Source"
      :error="error('sourceId')"
      hint="The ad network that sends the visits."
    >
      <PickOne
        :id="id"
        v-model="body.sourceId"
        :invalid="invalid"
        :aria-describedby="described"
        :options="[...parts.of('source').map((s) => ({ value: s.id, label: s.body.name }))]"
        placeholder="Choose"
      />
    </FormField>
    <FormField
      v-slot="{ id, invalid, described }"
      label="Country"
      hint="The country of the visitors you buy. Used for names and shown with the campaign."
      :error="error('country')"
    >
      <PickOne
        :id="id"
        v-model="body.country"
        :invalid="invalid"
        :aria-describedby="described"
        :options="[
          { value: '', label: 'any country' },
          ...allCountries.map((c) => ({ value: c.code, label: c.name })),
        ]"
      />
    </FormField>
    <div v-if="source && (source.body.accounts.length || source.body.adFormats.length)" class="row top">
      <FormField
        v-if="source.body.accounts.length"
        v-slot="{ id, invalid }"
        label="Account"
        hint="Postbacks go to this account’s own URL if it has one."
        :error="error('account')"
      >
        <PickOne
          :id="id"
          v-model="body.account"
          :invalid="invalid"
          :options="[
            { value: '', label: 'any account' },
            ...source.body.accounts.map((a) => ({ value: a.name, label: a.name })),
          ]"
        />
      </FormField>
      <FormField
        v-if="source.body.adFormats.length"
        v-slot="{ id, invalid }"
        label="Ad format"
        :error="error('adFormat')"
      >
        <PickOne
          :id="id"
          v-model="body.adFormat"
          :invalid="invalid"
          :options="[
            { value: '', label: 'not specified' },
            ...source.body.adFormats.map((f) => ({ value: f, label: f })),
          ]"
        />
      </FormField>
    </div>
    <p v-if="body.routing" class="quiet">
      Branches and splits say where visits go.
      <RouterLink v-if="part" :to="`/campaigns/${part.id}/routing`">Edit routing</RouterLink>
    </p>
    <template v-else>
      <FormField
        v-slot="{ id }"
        label="Landing page"
        hint="Visitors see this page before the offer. Choose none for a direct link."
      >
        <PickOne
          :id="id"
          v-model="body.landingPageId"
          :options="[
            { value: '', label: 'none (direct link)' },
            ...parts.of('landing-page').map((p) => ({ value: p.id, label: p.body.name })),
          ]"
        />
      </FormField>
      <FormField
        v-slot="{ id, invalid, described }"
        label="Offer"
        :error="error('offerId')"
        :hint="body.landingPageId ? 'The page’s buttons lead here.' : 'Visitors go straight to this offer.'"
      >
        <PickOne
          :id="id"
          v-model="body.offerId"
          :invalid="invalid"
          :aria-describedby="described"
          :options="[...parts.of('offer').map((o) => ({ value: o.id, label: o.body.name }))]"
          placeholder="Choose"
        />
      </FormField>
    </template>
    <NameField
      v-model="body.name"
      kind="campaign"
      :error="error('name')"
      :except="part?.id"
      :suggestion="suggested"
    />
    <fieldset>
      <legend>Cost</legend>
      <label v-for="model in costModels" :key="model" class="row"
        ><RadioButton v-model="body.costModel" :value="model" /> {{ costModelLabels[model] }}</label
      >
      <CostAmount
        v-model:micros="body.costMicros"
        v-model:currency="body.costCurrency"
        v-model:share="body.costShare"
        v-model:event-type-id="body.costEventTypeId"
        :model="body.costModel"
        :error="error"
      />
      <p v-if="noCostParameter" class="quiet">{{ noCostParameter }}</p>
    </fieldset>
    <CostSince
      v-if="part"
      v-model="body.costSince"
      :body="body"
      :saved="part.body"
      :error="error('costSince')"
    />
    <UrlField
      v-model="body.fallbackUrl"
      label="Fallback URL"
      hint="Visitors go here while no offer takes them or the campaign is paused. If empty, the fallback of the desk is used."
      :error="error('fallbackUrl')"
      :context="fallbackContext"
      :candidates="tokens"
    />
    <FormField
      v-slot="{ id, described }"
      label="Send visitors on by"
      :hint="
        body.sendBy === 'page'
          ? 'A page of Tracheon sends visitors on, so that the next site does not see where they came from. It takes a moment longer.'
          : 'The next site sees the site that the visitor came from, if the browser tells it.'
      "
    >
      <PickOne
        :id="id"
        v-model="body.sendBy"
        :aria-describedby="described"
        :options="[
          { value: 'redirect', label: 'redirect' },
          { value: 'page', label: 'page without referrer' },
        ]"
      />
    </FormField>
    <TagsField v-model="body.tags" :error="error('tags')" />
    <ul v-if="disagreements.length" class="disagree" aria-label="Findings">
      <li v-for="d in disagreements" :key="d.sentence">{{ d.sentence }}</li>
    </ul>
    <FormField v-slot="{ id }" label="Notes"><Textarea :id="id" v-model="body.notes" rows="2" /></FormField>
  </DraftSheet>
</template>
<style scoped>
fieldset {
  border: 1px solid var(--hairline);
  border-radius: 6px;
  padding: 8px 12px;
  display: grid;
  gap: 4px;
  margin: 0;
}
legend {
  font-weight: 600;
  padding: 0 4px;
}
.form {
  display: grid;
  gap: 8px;
}
.top {
  align-items: start;
}
.currency {
  width: 80px;
  text-transform: uppercase;
}
.disagree {
  margin: 0;
  padding-left: 18px;
  font-size: 12px;
}
</style>
