<script setup lang="ts">
/** Step 1: the offer link, and what it says by itself. */
import PickOne from '../../ui/PickOne.vue';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import type { SheetBody } from '@tracheon/core/contract';
import { carriesClickId, offerContext } from '@tracheon/core/links';
import { Plus } from '@lucide/vue';
import { computed, ref } from 'vue';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import MoneyField from '../../ui/MoneyField.vue';
import { allCountries } from '../../ui/countries.ts';
import FormField from '../../ui/FormField.vue';
import { useDeskTokens } from '../../shared/urlField/deskTokens.ts';
import UrlField from '../../shared/urlField/UrlField.vue';
import StepLacks from './StepLacks.vue';
import type { Chain } from './useChain.ts';

const body = defineModel<SheetBody>({ required: true });
const props = defineProps<{ chain: Chain; errors: Record<string, string> }>();
const emit = defineEmits<{ make: [kind: 'network', body: object]; template: [kind: 'network'] }>();
const parts = useParts();
const session = useSession();
const tokens = useDeskTokens('visit');
const tooMuch = ref('');
const network = computed(() => props.chain.network.value);
const pasted = computed(() => props.chain.pasted.value);
const outgoing = computed(() => props.chain.offer.value.link);
const added = computed(() => !carriesClickId(body.value.link) && carriesClickId(outgoing.value));
const context = computed(() =>
  offerContext(
    network.value?.body,
    session.me?.trackingOrigins ?? [],
    props.chain.page.value?.body.url ?? session.me?.trackingOrigin,
  ),
);
/** Neither the link nor the member has said what is sold: names would say nothing. */
const asksProduct = computed(
  () => body.value.link !== '' && pasted.value.problem === '' && body.value.product === '',
);
const ownCampaign = computed(() =>
  pasted.value.ownKey === null
    ? undefined
    : parts.of('campaign', true).find((c) => c.key === pasted.value.ownKey),
);
/** What cannot be a link never gets into the field. */
function onPaste(event: ClipboardEvent): void {
  const text = event.clipboardData?.getData('text') ?? '';
  tooMuch.value = '';
  const { problem } = props.chain.read(text);
  if (problem === '' || text.length <= 8192) return;
  event.preventDefault();
  tooMuch.value = problem;
}
function newNetwork(): void {
  const { host, clickIdParameter } = pasted.value;
  const word = host.replace(/:\d+$/, '').split('.').at(-2) ?? '';
  const name = /^[a-z]/.test(word) ? word.charAt(0).toUpperCase() + word.slice(1) : '';
  emit('make', 'network', { name, clickIdParameter, hosts: host === '' ? [] : [host] });
}
</script>
<template>
  <div v-if="!chain.chosenOffer.value" class="one" @paste.capture="onPaste">
    <UrlField
      v-model="body.link"
      label="Paste the offer link"
      hint="Paste it as the network shows it. Tracheon finds the network, the click ID parameter and words for the name."
      :error="errors.link"
      :context="context"
      :candidates="tokens"
      :leave-out="added ? ['no_click_id'] : []"
      :outgoing="outgoing"
      :outgoing-says="
        added
          ? `Outgoing link. Tracheon adds the click ID as ${network?.body.clickIdParameter}, the click ID parameter of ${network?.body.name}:`
          : 'Outgoing link:'
      "
    />
    <p v-if="tooMuch" class="error" role="alert">{{ tooMuch }}</p>
    <p v-if="chain.sameOffer.value" class="row small" role="status">
      This link is already the offer {{ chain.sameOffer.value.body.name }}.
      <Button severity="secondary" size="small" @click="body.offerId = chain.sameOffer.value!.id"
        >Use this offer</Button
      >
    </p>
    <p v-if="pasted.ownKey !== null" class="small">
      <template v-if="ownCampaign"
        >This is already the tracking link of
        <RouterLink :to="`/campaigns/${ownCampaign.id}`">{{ ownCampaign.body.name }}</RouterLink>.</template
      ><template v-else>No campaign on this desk has this link’s key.</template>
    </p>
  </div>
  <div v-if="body.link || chain.chosenOffer.value" class="grid">
    <FormField
      v-if="!chain.chosenOffer.value"
      v-slot="{ id, invalid, described }"
      label="Network"
      :error="errors.networkId"
      :hint="
        network
          ? ''
          : pasted.host
            ? `No network here has links at ${pasted.host}.`
            : 'Known by the host of the link.'
      "
    >
      <span class="row nowrap">
        <PickOne
          :id="id"
          v-model="body.networkId"
          :invalid="invalid"
          :aria-describedby="described"
          :options="[
            { value: '', label: 'choose' },
            ...parts.of('network').map((n) => ({ value: n.id, label: n.body.name })),
          ]"
        />
        <Button variant="link" @click="newNetwork"> <Plus :size="14" aria-hidden="true" /> New </Button>
        <Button variant="link" @click="$emit('template', 'network')">Template</Button>
      </span>
    </FormField>
    <FormField v-slot="{ id }" label="Country" hint="The country of the visitors you buy.">
      <PickOne
        :id="id"
        v-model="body.country"
        :options="[
          { value: '', label: 'any' },
          ...allCountries.map((c) => ({ value: c.code, label: c.name })),
        ]"
      />
    </FormField>
    <template v-if="!chain.chosenOffer.value">
      <FormField
        v-slot="{ id, described }"
        label="Product"
        :hint="
          asksProduct
            ? 'The link doesn’t say what it sells. Enter one or two words, such as star map; names are made from them.'
            : 'One or two words for the names.'
        "
      >
        <InputText
          :id="id"
          v-model="body.product"
          autocomplete="off"
          maxlength="60"
          :class="{ asked: asksProduct }"
          :aria-describedby="described"
        />
      </FormField>
      <MoneyField
        v-model:amount="body.payoutMicros"
        v-model:currency="body.currency"
        :label="body.payoutMode === 'fixed' ? 'Fixed payout' : 'Default payout'"
        :hint="
          body.payoutMode === 'fixed'
            ? 'Tracheon ignores the reported payout.'
            : 'Used when the postback has no payout.'
        "
        :error="errors.payoutMicros ?? errors.currency"
        :usual="session.desk.currency"
      >
        <PickOne
          v-model="body.payoutMode"
          aria-label="Payout type"
          :options="[
            { value: 'reported', label: 'as reported' },
            { value: 'fixed', label: 'fixed' },
          ]"
        />
      </MoneyField>
      <FormField
        v-slot="{ id, invalid, described }"
        label="Offer name"
        :error="errors.offerName"
        hint="If empty, Tracheon uses your desk’s name rule."
      >
        <InputText
          :id="id"
          v-model="body.offerName"
          :placeholder="chain.names.value.offer"
          autocomplete="off"
          maxlength="120"
          :invalid="invalid"
          :aria-describedby="described"
        />
      </FormField>
    </template>
  </div>
  <!-- What the link itself lacks stands beside it already. -->
  <StepLacks :chain="chain" :at="['offer']" :only="['country_not_open']" />
  <StepLacks :chain="chain" :at="['network']" />
  <label v-if="parts.of('offer').length" class="or"
    ><span class="quiet">or use an existing offer</span>
    <PickOne
      v-model="body.offerId"
      aria-label="Existing offer"
      :options="[
        { value: '', label: 'create a new offer from the link' },
        ...parts.of('offer').map((o) => ({ value: o.id, label: o.body.name })),
      ]"
  /></label>
</template>
<style scoped src="./steps.css"></style>
