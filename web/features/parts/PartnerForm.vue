<script setup lang="ts">
/** A partner: who it is, the IDs under which advertisers tell its conversions, and the links that it is given. */
import InputText from 'primevue/inputtext';
import Textarea from 'primevue/textarea';
import { partnerInput, wholeBody, type PartRecord } from '@tracheon/core/contract';
import { computed, ref } from 'vue';
import { useSession } from '../../app/session.ts';
import DraftSheet from '../../shared/DraftSheet.vue';
import NameField from '../../shared/NameField.vue';
import TagsField from '../../shared/TagsField.vue';
import { usePartForm } from '../../shared/usePartForm.ts';
import FormField from '../../ui/FormField.vue';
import LinesField from '../../ui/LinesField.vue';
import NumberField from '../../ui/NumberField.vue';
import FoldBlock from '../../ui/FoldBlock.vue';
import AccessList from './AccessList.vue';
import PartnerBlockedSubs from './PartnerBlockedSubs.vue';
import PartnerPostback from './PartnerPostback.vue';
import PartnerPeople from './PartnerPeople.vue';
import PartnerLinks from './PartnerLinks.vue';

const props = defineProps<{ part?: PartRecord<'partner'> }>();
const open = defineModel<boolean>('open', { required: true });
const emit = defineEmits<{ saved: [record: PartRecord] }>();
const session = useSession();
const form = usePartForm('partner', partnerInput, wholeBody('partner', { name: '' }), props.part);
const { body, error } = form;
const saved = ref<PartRecord<'partner'> | undefined>(props.part);
const idsError = computed(() => body.knownAs.map((_, i) => error(`knownAs.${i}`)).find(Boolean));
async function save(): Promise<void> {
  const record = await form.save();
  if (!record) return;
  // A new partner's links are what one wants next.
  const isNew = saved.value === undefined;
  saved.value = record;
  emit('saved', record);
  if (!isNew) open.value = false;
}
</script>
<template>
  <DraftSheet
    v-model:open="open"
    :title="part ? part.body.name : 'New partner'"
    says="A partner sends visitors to your own offers through its own links."
    :form="form"
    :action="part ? 'Save' : 'Create partner'"
    :read-only="!session.canEdit"
    :save="save"
  >
    <template #before>
      <PartnerLinks v-if="saved" :part="saved" />
      <p v-if="saved" class="traffic">
        <RouterLink :to="`/parts/partner/${saved.id}/traffic`"
          >Look at the traffic of {{ saved.body.name }}</RouterLink
        >
      </p>
      <FoldBlock v-if="saved" title="Offers"><AccessList :partner-id="saved.id" /></FoldBlock>
      <FoldBlock v-if="saved" title="Postback to this partner"><PartnerPostback :part="saved" /></FoldBlock>
      <FoldBlock v-if="saved" title="People who sign in"><PartnerPeople :part="saved" /></FoldBlock>
    </template>
    <NameField v-model="body.name" kind="partner" :error="error('name')" :except="part?.id" />
    <FormField v-slot="{ id, invalid, described }" label="E-mail address" :error="error('email')">
      <InputText
        :id="id"
        v-model="body.email"
        autocomplete="off"
        :invalid="invalid"
        :aria-describedby="described"
      />
    </FormField>
    <FormField
      v-slot="{ id, invalid, described }"
      label="Hold period (days)"
      hint="From the approval of a payout until a statement takes it. What the advertiser takes back in this time is never paid."
      :error="error('payAfterDays')"
    >
      <NumberField
        :id="id"
        v-model="body.payAfterDays"
        min="0"
        max="365"
        :invalid="invalid"
        :aria-describedby="described"
      />
    </FormField>
    <LinesField
      v-model="body.knownAs"
      label="Other IDs of this partner"
      hint="IDs that advertisers use for this partner in their postbacks. One per line. Conversions that already arrived with such an ID move to this partner."
      mono
      :error="idsError ?? error('knownAs')"
    />
    <FormField
      v-slot="{ id, invalid, described }"
      label="Billing details"
      hint="Address and bank account, as statements and files of payments show them."
      :error="error('billTo')"
    >
      <Textarea :id="id" v-model="body.billTo" rows="3" :invalid="invalid" :aria-describedby="described" />
    </FormField>
    <PartnerBlockedSubs v-model="body" :error="error" />
    <TagsField v-model="body.tags" :error="error('tags')" />
    <FormField v-slot="{ id }" label="Notes">
      <Textarea :id="id" v-model="body.notes" rows="2" />
    </FormField>
  </DraftSheet>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.traffic {
  margin-bottom: 8px;
}
</style>
