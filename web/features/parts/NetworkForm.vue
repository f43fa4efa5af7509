<script setup lang="ts">
import NumberField from '../../ui/NumberField.vue';
/** A network: what it calls things, and the postback URL that is handed over to it. */
import ZoneField from '../../ui/ZoneField.vue';
import ListTable from '../../ui/ListTable.vue';
import AddressInput from '../../ui/AddressInput.vue';
import RadioButton from 'primevue/radiobutton';
import Checkbox from 'primevue/checkbox';
import InputText from 'primevue/inputtext';
import PickOne from '../../ui/PickOne.vue';
import FoldBlock from '../../ui/FoldBlock.vue';
import Message from 'primevue/message';
import Textarea from 'primevue/textarea';
import {
  postbackFields,
  macroStyles,
  networkInput,
  wholeBody,
  type PostbackField,
  type PartRecord,
} from '@tracheon/core/contract';
import { postbackFieldLabels } from '@tracheon/core/conversions';
import { postbackUrl } from '@tracheon/core/links';
import { completeMacro, styleOf } from '@tracheon/core/tokens';
import { computed, nextTick, ref } from 'vue';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import FormField from '../../ui/FormField.vue';
import DraftSheet from '../../shared/DraftSheet.vue';
import NameField from '../../shared/NameField.vue';
import { usePartForm } from '../../shared/usePartForm.ts';
import TagsField from '../../shared/TagsField.vue';
import HandoverBlock from './HandoverBlock.vue';
import NetworkExtras from './NetworkExtras.vue';
import NetworkRelay from './NetworkRelay.vue';
import NetworkLinks from './NetworkLinks.vue';
import NetworkWords from './NetworkWords.vue';
import TrialResult from '../../shared/TrialResult.vue';
import { useReadingTrial } from './useReadingTrial.ts';

const props = defineProps<{ part?: PartRecord<'network'> }>();
const open = defineModel<boolean>('open', { required: true });
const emit = defineEmits<{ saved: [record: PartRecord] }>();
const parts = useParts();
const session = useSession();
const blank = wholeBody('network', {
  name: '',
  clickIdParameter: '',
  fields: Object.fromEntries(postbackFields.map((f) => [f, { macro: '', parameter: '' }])),
});
const form = usePartForm('network', networkInput, blank, props.part);
const { body, error } = form;
const created = ref<PartRecord<'network'> | undefined>();
/** As it stands on the server, a new key included. */
const saved = computed(() => parts.one('network', (created.value ?? props.part)?.id ?? ''));
const readOnly = computed(() => !session.canEdit);

const hints: Record<PostbackField, string> = {
  click_id: 'our click ID, sent back to us',
  payout: 'amount of the conversion',
  currency: 'currency of the payout',
  transaction: 'the network’s own ID of the conversion',
  event: 'event type',
  status: 'pending, approved, …',
  conversion_time: 'when the conversion happened',
  changed_time: 'when the status changed',
  partner_id: 'the partner, where the network can’t store our click ID',
  offer_id: 'the offer’s ID at the network, beside the partner',
  sale: 'what the buyer paid, for partner payouts by a share of the sale',
  sale_currency: 'currency of the sale, where it differs',
};
function complete(f: PostbackField): void {
  body.fields[f].macro = completeMacro(body.macroStyle, body.fields[f].macro);
}
function macroNote(f: PostbackField): string {
  const macro = body.fields[f].macro;
  if (macro === '') return '';
  const shape = styleOf(macro);
  if (shape === null) return 'This is not a macro. The network will send it as fixed text.';
  return shape === body.macroStyle
    ? ''
    : `This macro is written ${shape}, but this network’s macro style is ${body.macroStyle}.`;
}
/** The URL that the network has and the one that it needs are no longer the same. */
const isUrlChanged = ref(false);
const { trial, mayBeSaved } = useReadingTrial(body);
async function save(): Promise<void> {
  if (saved.value && !(await mayBeSaved(saved.value.id, saved.value.body, body))) {
    await nextTick();
    // Clear of the foot with the buttons, which stays in sight.
    return document.getElementById('reading-trial')?.scrollIntoView({ block: 'center' });
  }
  trial.value = null;
  const before = saved.value && postbackUrl('', saved.value.key, saved.value.body);
  const record = await form.save();
  if (!record) return;
  emit('saved', record);
  isUrlChanged.value = before !== undefined && before !== postbackUrl('', record.key, record.body);
  // An edited network is done, unless its URL has to be handed over: then the sheet stays at it.
  if (before !== undefined && !isUrlChanged.value) return void (open.value = false);
  created.value = record;
  await nextTick();
  document.getElementById('handover')?.scrollIntoView();
}
</script>
<template>
  <DraftSheet
    v-model:open="open"
    :title="part ? part.body.name : 'New network'"
    says="The company that pays for conversions. Copy the names and macros from its postback documentation."
    :form="form"
    :action="trial ? 'Save anyway' : part ? 'Save' : 'Create network'"
    :read-only="readOnly"
    :save="save"
  >
    <template #before>
      <Message v-if="isUrlChanged" severity="warn" :closable="false"
        >The postback URL changed. Give {{ saved?.body.name }} the new URL; until then its postbacks come
        without what you added.</Message
      >
      <HandoverBlock v-if="saved?.key" id="handover" :network="saved.body" :part="saved" />
      <p v-else-if="saved" class="quiet small">
        Only editors and owners see the postback URL, because it can book conversions.
      </p>
    </template>
    <NameField v-model="body.name" kind="network" :error="error('name')" :except="part?.id" />
    <div class="row relation" role="radiogroup" aria-label="Relationship">
      <label class="row"><RadioButton v-model="body.relation" value="network" /> an affiliate network</label>
      <label class="row"><RadioButton v-model="body.relation" value="direct" /> a direct advertiser</label>
    </div>
    <div class="halves">
      <FormField
        v-slot="{ id, invalid, described }"
        label="Click ID parameter"
        hint="The parameter in its offer links that carries our click ID, for example aff_ref. If empty, add the click ID to each link yourself."
        :error="error('clickIdParameter')"
      >
        <InputText
          :id="id"
          v-model="body.clickIdParameter"
          class="mono-input"
          autocomplete="off"
          :invalid="invalid"
          :aria-describedby="described"
        />
      </FormField>
      <FormField v-slot="{ id }" label="Macro style" hint="How it writes a macro named x.">
        <PickOne
          :id="id"
          v-model="body.macroStyle"
          class="mono-input"
          :options="[...macroStyles.map((s) => ({ value: s, label: s }))]"
        />
      </FormField>
    </div>
    <section aria-label="Postback parameters">
      <h3>Postback parameters</h3>
      <ListTable
        :rows="postbackFields.map((field) => ({ id: field }))"
        label="Postback parameters"
        :columns="[
          { key: 'what', label: 'Value' },
          { key: 'macro', label: 'Their macro' },
          { key: 'parameter', label: 'Parameter in our URL' },
        ]"
      >
        <template #what="{ row: { id: f } }"
          ><strong>{{ postbackFieldLabels[f] }}</strong><br /><span class="quiet small">{{
            hints[f]
          }}</span></template
        >
        <template #macro="{ row: { id: f } }">
          <InputText
            v-model="body.fields[f].macro"
            class="mono-input"
            autocomplete="off"
            fluid
            :aria-label="`Macro for ${postbackFieldLabels[f]}`"
            :invalid="!!error(`fields.${f}.macro`)"
            @blur="complete(f)"
          />
          <p v-if="error(`fields.${f}.macro`)" class="error small">{{ error(`fields.${f}.macro`) }}</p>
          <p v-else-if="macroNote(f)" class="quiet small">{{ macroNote(f) }}</p>
        </template>
        <template #parameter="{ row: { id: f } }">
          <InputText
            v-model="body.fields[f].parameter"
            class="mono-input"
            autocomplete="off"
            fluid
            :placeholder="f"
            :aria-label="`Parameter for ${postbackFieldLabels[f]}`"
            :invalid="!!error(`fields.${f}.parameter`)"
          />
          <p v-if="error(`fields.${f}.parameter`)" class="error small">
            {{ error(`fields.${f}.parameter`) }}
          </p>
        </template>
      </ListTable>
    </section>
    <NetworkExtras v-model="body" :error="error" />
    <NetworkWords v-model="body" :error="error" />
    <FoldBlock title="Links and allowed addresses">
      <NetworkLinks v-model="body" :error="error" />
    </FoldBlock>
    <FoldBlock title="Payout, response and notes">
      <div class="halves">
        <FormField v-slot="{ id }" label="Payout amount is">
          <PickOne
            :id="id"
            v-model="body.payoutMeans"
            :options="[
              { value: 'event', label: 'the payout of this event' },
              { value: 'total', label: 'the total so far' },
              { value: 'difference', label: 'the change since the last postback' },
            ]"
          />
        </FormField>
        <FormField v-slot="{ id }" label="Negative payout is">
          <PickOne
            :id="id"
            v-model="body.negativeMeans"
            :options="[
              { value: 'refund', label: 'a refund' },
              { value: 'error', label: 'an error that needs repair' },
            ]"
          />
        </FormField>
        <FormField v-slot="{ id }" label="Decimal mark">
          <PickOne
            :id="id"
            v-model="body.decimalMark"
            :options="[
              { value: '', label: 'detect automatically' },
              { value: '.', label: 'point: 1.50' },
              { value: ',', label: 'comma: 1,50' },
            ]"
          />
        </FormField>
        <FormField v-slot="{ id }" label="Response to send">
          <PickOne
            :id="id"
            v-model="body.answerStyle"
            :options="[
              { value: 'json', label: 'JSON with outcome and reason' },
              { value: 'ok', label: 'OK' },
              { value: 'one', label: '1' },
              { value: 'empty', label: 'empty' },
            ]"
          />
        </FormField>
      </div>
      <div class="halves">
        <FormField v-slot="{ id, invalid }" label="Documentation URL" :error="error('docsUrl')">
          <AddressInput :id="id" v-model="body.docsUrl" :invalid="invalid" />
        </FormField>
        <FormField v-slot="{ id, invalid }" label="Time zone" :error="error('zone')">
          <ZoneField
            :id="id"
            v-model="body.zone"
            empty-label="Not set: times without a zone count as UTC"
            :invalid="invalid"
          />
        </FormField>
      </div>
      <label class="row"
        ><Checkbox v-model="body.noLooks" binary /> This network forbids looks at its offers without a
        visitor</label
      >
      <TagsField v-model="body.tags" :error="error('tags')" />
      <FormField v-slot="{ id }" label="Notes">
        <Textarea :id="id" v-model="body.notes" rows="2" />
      </FormField>
    </FoldBlock>
    <FoldBlock title="Billing" :open="body.billTo !== '' || body.billingEmail !== ''">
      <div class="halves">
        <FormField v-slot="{ id, invalid }" label="E-mail for billing" :error="error('billingEmail')">
          <InputText :id="id" v-model="body.billingEmail" autocomplete="off" :invalid="invalid" />
        </FormField>
        <FormField
          v-slot="{ id, invalid, described }"
          label="Pays within (days)"
          hint="Printed on your statements."
          :error="error('payWithinDays')"
        >
          <NumberField
            :id="id"
            v-model="body.payWithinDays"
            min="0"
            max="365"
            :invalid="invalid"
            :aria-describedby="described"
          />
        </FormField>
      </div>
      <FormField
        v-slot="{ id, invalid, described }"
        label="Billing details"
        hint="Name, address and numbers, as your statements show them."
        :error="error('billTo')"
      >
        <Textarea :id="id" v-model="body.billTo" rows="3" :invalid="invalid" :aria-describedby="described" />
      </FormField>
    </FoldBlock>
    <NetworkRelay v-model="body" :error="error" :network-id="part?.id" />
    <template #after>
      <Message v-if="trial" id="reading-trial" severity="warn" :closable="false"
        ><TrialResult :trial="trial"
      /></Message>
      <HandoverBlock v-if="!saved" :network="body" :part="null" />
    </template>
  </DraftSheet>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.relation {
  gap: 18px;
}
</style>
