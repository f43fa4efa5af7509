<script setup lang="ts">
/** An offer: the network's link with our click ID put in, where it sells, what it pays. */
import AddressInput from '../../ui/AddressInput.vue';
import FieldGroup from '../../ui/FieldGroup.vue';
import PickOne from '../../ui/PickOne.vue';
import RadioButton from 'primevue/radiobutton';
import InputText from 'primevue/inputtext';
import FoldBlock from '../../ui/FoldBlock.vue';
import Textarea from 'primevue/textarea';
import NumberField from '../../ui/NumberField.vue';
import { offerInput, wholeBody, type OfferInput, type PartRecord } from '@tracheon/core/contract';
import { carriesClickId, offerContext, outgoingLink } from '@tracheon/core/links';
import { nameByRule, productWords } from '@tracheon/core/naming';
import CountriesField from '../../ui/CountriesField.vue';
import { computed, watch } from 'vue';
import { useRoute } from 'vue-router';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import MoneyField from '../../ui/MoneyField.vue';
import FormField from '../../ui/FormField.vue';
import TextField from '../../ui/TextField.vue';
import LiveTest from '../../shared/LiveTest.vue';
import DraftSheet from '../../shared/DraftSheet.vue';
import NameField from '../../shared/NameField.vue';
import { useDeskTokens } from '../../shared/urlField/deskTokens.ts';
import UrlField from '../../shared/urlField/UrlField.vue';
import TagsField from '../../shared/TagsField.vue';
import { usePartForm } from '../../shared/usePartForm.ts';
import OfferPayouts from './OfferPayouts.vue';
import OfferConversionsFrom from './OfferConversionsFrom.vue';
import OfferForPartners from './OfferForPartners.vue';
import OfferPartnerPayouts from './OfferPartnerPayouts.vue';
import OfferLook from './OfferLook.vue';
import OfferSending from './OfferSending.vue';

const props = defineProps<{ part?: PartRecord<'offer'> }>();
const open = defineModel<boolean>('open', { required: true });
const emit = defineEmits<{ saved: [record: PartRecord] }>();
const parts = useParts();
const session = useSession();
const blank = wholeBody('offer', {
  name: '',
  networkId: '',
  link: '',
  currency: session.desk.currency,
});
const form = usePartForm('offer', offerInput, blank, props.part, asSent);
const { body, error } = form;
// A link that was put together elsewhere begins a new offer.
const route = useRoute();
if (!props.part && typeof route.query.link === 'string') body.link = route.query.link;
const readOnly = computed(() => !session.canEdit);
const network = computed(() => parts.one('network', body.networkId));
/** A pasted link tells its network by its host, while none is chosen. */
watch(
  () => body.link,
  (link) => {
    if (body.networkId !== '') return;
    const host = /^https?:\/\/([^/?#]+)/i.exec(link)?.[1]?.toLowerCase();
    const known = parts.of('network').find((n) => host !== undefined && n.body.hosts.includes(host));
    if (known) body.networkId = known.id;
  },
  { immediate: true },
);
/** As it goes out: our click ID under the network's parameter. */
const outgoing = computed(() =>
  body.link && network.value ? outgoingLink(body.link, network.value.body) : body.link,
);
const added = computed(
  () => body.link !== '' && !carriesClickId(body.link) && carriesClickId(outgoing.value),
);
const suggested = computed(() =>
  nameByRule(session.desk.nameRules.offer, {
    country: body.countries.length > 1 ? '' : body.countries[0],
    product: body.product || productWords(body.link),
    network: network.value?.body.name,
  }),
);
const tokens = useDeskTokens('visit');
const context = computed(() => offerContext(network.value?.body, session.me?.trackingOrigins ?? []));
/** The link is stored as it goes out. */
function asSent(value: OfferInput): OfferInput {
  return { ...value, link: outgoing.value };
}
async function save(): Promise<void> {
  const record = await form.save();
  if (!record) return;
  emit('saved', record);
  open.value = false;
}
</script>
<template>
  <DraftSheet
    v-model:open="open"
    :title="part ? part.body.name : 'New offer'"
    says="What you promote. Paste the link as the network shows it."
    :form="form"
    :action="part ? 'Save' : 'Create offer'"
    :read-only="readOnly"
    :save="save"
  >
    <template v-if="part && !readOnly" #before>
      <LiveTest kind="offer" :id="part.id" :network-id="part.body.networkId" :name="part.body.name" />
    </template>
    <NameField
      v-model="body.name"
      kind="offer"
      :error="error('name')"
      :except="part?.id"
      :suggestion="suggested"
    />
    <FormField v-slot="{ id, invalid, described }" label="Network" :error="error('networkId')">
      <PickOne
        :id="id"
        v-model="body.networkId"
        :invalid="invalid"
        :aria-describedby="described"
        :options="[...parts.of('network').map((n) => ({ value: n.id, label: n.body.name }))]"
        placeholder="Choose"
      />
    </FormField>
    <UrlField
      v-model="body.link"
      label="Link"
      :hint="network ? '' : 'Paste it as the network shows it.'"
      :error="error('link')"
      :context="context"
      :candidates="tokens"
      :disabled="readOnly"
      :leave-out="added ? ['no_click_id'] : []"
      :outgoing="outgoing"
      :outgoing-says="
        outgoing !== body.link && added
          ? `Outgoing link. Tracheon adds the click ID as ${network?.body.clickIdParameter}, the click ID parameter of ${network?.body.name}:`
          : 'Outgoing link:'
      "
    />
    <CountriesField
      v-model="body.countries"
      hint="Used for names, suggestions and warnings. Leave empty for any country."
    />
    <FieldGroup class="pay" :disabled="readOnly">
      <legend>Payout</legend>
      <label class="row"
        ><RadioButton v-model="body.payoutMode" value="reported" /> as reported by the postback</label
      >
      <label class="row"><RadioButton v-model="body.payoutMode" value="fixed" /> fixed</label>
      <MoneyField
        v-model:amount="body.payoutMicros"
        v-model:currency="body.currency"
        :label="body.payoutMode === 'fixed' ? 'Amount' : 'Default amount'"
        hint="Tracheon uses this currency when the postback has none."
        :error="error('payoutMicros') ?? error('currency')"
      />
      <OfferPayouts v-model="body" :error="error" />
    </FieldGroup>
    <FoldBlock
      title="Schedule, cap and fallback"
      :open="
        body.sending !== 'live' ||
        body.capCount > 0 ||
        body.visitCapCount > 0 ||
        body.capWithOfferId !== '' ||
        body.moreCaps.length > 0 ||
        body.endsOn !== ''
      "
    >
      <OfferSending v-model="body" :error="error" :offer-id="part?.id" :disabled="readOnly" />
    </FoldBlock>
    <FoldBlock title="Partner payouts" :open="body.partnerPayouts.length > 0">
      <FieldGroup class="bare" :disabled="readOnly">
        <OfferPartnerPayouts v-model="body" :error="error" />
      </FieldGroup>
    </FoldBlock>
    <FoldBlock title="Partner page" :open="body.partnerAccess !== 'hidden'">
      <FieldGroup class="bare" :disabled="readOnly">
        <OfferForPartners v-model="body" :error="error" :offer-id="part?.id" />
      </FieldGroup>
    </FoldBlock>
    <FoldBlock v-if="part && !readOnly" title="Look as a visitor">
      <OfferLook :offer-id="part.id" />
    </FoldBlock>
    <FoldBlock title="More">
      <TextField
        v-model="body.product"
        label="Product"
        hint="One or two words. Used in campaign names."
        :error="error('product')"
      />
      <FormField
        v-slot="{ id, invalid, described }"
        label="ID at the network"
        hint="Only for networks that can’t store click IDs: their postbacks name the partner and this ID."
        :error="error('idAtNetwork')"
      >
        <InputText
          :id="id"
          v-model="body.idAtNetwork"
          class="mono-input"
          autocomplete="off"
          :invalid="invalid"
          :aria-describedby="described"
        />
      </FormField>
      <FormField v-slot="{ id, invalid }" label="Preview URL" :error="error('previewUrl')">
        <AddressInput :id="id" v-model="body.previewUrl" :invalid="invalid" />
      </FormField>
      <FormField v-if="body.partnerAccess === 'hidden'" v-slot="{ id }" label="Description">
        <Textarea :id="id" v-model="body.description" rows="2" />
      </FormField>
      <FormField v-slot="{ id, invalid }" label="Attribution window (days)" :error="error('windowDays')">
        <NumberField :id="id" v-model="body.windowDays" min="1" max="365" :invalid="invalid" />
      </FormField>
      <OfferConversionsFrom v-model="body" />
      <TagsField v-model="body.tags" :error="error('tags')" />
      <FormField v-slot="{ id }" label="Notes">
        <Textarea :id="id" v-model="body.notes" rows="2" />
      </FormField>
    </FoldBlock>
  </DraftSheet>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.wide {
  width: 100%;
}
.pay {
  border: 1px solid var(--hairline);
  border-radius: 6px;
  margin: 0;
  padding: 6px 12px;
  display: grid;
  gap: 4px;
}
.bare {
  border: 0;
  margin: 0;
  padding: 0;
}
legend {
  font-weight: 600;
}
</style>
