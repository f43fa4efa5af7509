<script setup lang="ts">
/** A network: what it calls things, and the postback URL that is handed over to it. */
import {
  postbackFields,
  macroStyles,
  networkInput,
  wholeBody,
  type PostbackField,
  type PartRecord,
} from '@tracheon/core/contract';
import { completeMacro, styleOf } from '@tracheon/core/tokens';
import { computed, nextTick, ref } from 'vue';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import FormField from '../../shared/FormField.vue';
import FormFoot from '../../shared/FormFoot.vue';
import NameField from '../../shared/NameField.vue';
import SideSheet from '../../shared/SideSheet.vue';
import { usePartForm } from '../../shared/usePartForm.ts';
import TagsField from '../../shared/TagsField.vue';
import Handover from './Handover.vue';
import NetworkExtras from './NetworkExtras.vue';
import NetworkLinks from './NetworkLinks.vue';
import NetworkWords from './NetworkWords.vue';

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

const labels: Record<PostbackField, [name: string, says: string]> = {
  click_id: ['Click ID', 'ours, coming back'],
  payout: ['Payout', 'what the conversion pays'],
  currency: ['Currency', 'of the payout'],
  transaction: ['Transaction', 'their number of the conversion'],
  event: ['Event', 'which kind of conversion'],
  status: ['Status', 'pending, approved, …'],
  conversion_time: ['Conversion time', 'when it happened'],
  changed_time: ['Time of change', 'when the status changed'],
};
function complete(f: PostbackField): void {
  body.fields[f].macro = completeMacro(body.macroStyle, body.fields[f].macro);
}
function macroNote(f: PostbackField): string {
  const macro = body.fields[f].macro;
  if (macro === '') return '';
  const shape = styleOf(macro);
  if (shape === null) return 'No placeholder: it will go out as this fixed text.';
  return shape === body.macroStyle ? '' : `Written ${shape}, this network’s shape is ${body.macroStyle}.`;
}
async function save(): Promise<void> {
  const record = await form.save();
  if (!record) return;
  created.value = record;
  emit('saved', record);
  await nextTick();
  document.getElementById('handover')?.scrollIntoView();
}
</script>
<template>
  <SideSheet
    v-model:open="open"
    :title="part ? part.body.name : 'New network'"
    says="Who pays. Copy their names and macros from their postback help."
  >
    <Handover v-if="saved" id="handover" :network="saved.body" :part="saved" />
    <form class="form" @submit.prevent="save">
      <fieldset :disabled="readOnly" class="plain">
        <NameField v-model="body.name" kind="network" :error="error('name')" :except="part?.id" />
        <div class="row relation" role="radiogroup" aria-label="Who it is">
          <label class="row"
            ><input v-model="body.relation" type="radio" value="network" /> an affiliate network</label
          >
          <label class="row"
            ><input v-model="body.relation" type="radio" value="direct" /> an advertiser, directly</label
          >
        </div>
        <div class="halves">
          <FormField
            v-slot="{ id, invalid, described }"
            label="Parameter that takes our click ID"
            hint="Such as aff_ref. Empty: you put it into each link."
            :error="error('clickIdParameter')"
          >
            <input
              :id="id"
              v-model="body.clickIdParameter"
              class="mono-input"
              autocomplete="off"
              :aria-invalid="invalid"
              :aria-describedby="described"
            />
          </FormField>
          <FormField v-slot="{ id }" label="Shape of their macros" hint="How they write a placeholder x.">
            <select :id="id" v-model="body.macroStyle" class="mono-input">
              <option v-for="s in macroStyles" :key="s">{{ s }}</option>
            </select>
          </FormField>
        </div>
        <table class="fields">
          <caption>
            What they tell us
          </caption>
          <thead>
            <tr>
              <th scope="col">What</th>
              <th scope="col">Their macro</th>
              <th scope="col">Parameter in our URL</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="f in postbackFields" :key="f">
              <th scope="row">
                {{ labels[f][0] }}<br /><span class="quiet small">{{ labels[f][1] }}</span>
              </th>
              <td>
                <input
                  v-model="body.fields[f].macro"
                  class="mono-input"
                  autocomplete="off"
                  :aria-label="`Macro for ${labels[f][0]}`"
                  :aria-invalid="!!error(`fields.${f}.macro`)"
                  @blur="complete(f)"
                />
                <p v-if="error(`fields.${f}.macro`)" class="error small">{{ error(`fields.${f}.macro`) }}</p>
                <p v-else-if="macroNote(f)" class="quiet small">{{ macroNote(f) }}</p>
              </td>
              <td>
                <input
                  v-model="body.fields[f].parameter"
                  class="mono-input"
                  autocomplete="off"
                  :placeholder="f"
                  :aria-label="`Parameter for ${labels[f][0]}`"
                  :aria-invalid="!!error(`fields.${f}.parameter`)"
                />
                <p v-if="error(`fields.${f}.parameter`)" class="error small">
                  {{ error(`fields.${f}.parameter`) }}
                </p>
              </td>
            </tr>
          </tbody>
        </table>
        <NetworkExtras v-model="body" :error="error" />
        <NetworkWords v-model="body" :error="error" />
        <details>
          <summary>Links and addresses</summary>
          <NetworkLinks v-model="body" :error="error" />
        </details>
        <details>
          <summary>Payout, answers, notes</summary>
          <div class="halves">
            <FormField v-slot="{ id }" label="A payout is">
              <select :id="id" v-model="body.payoutMeans">
                <option value="event">of this event</option>
                <option value="total">the running total</option>
                <option value="difference">a difference to add</option>
              </select>
            </FormField>
            <FormField v-slot="{ id }" label="Below zero it is">
              <select :id="id" v-model="body.negativeMeans">
                <option value="refund">a refund</option>
                <option value="error">an error, to repair</option>
              </select>
            </FormField>
            <FormField v-slot="{ id }" label="Decimal mark">
              <select :id="id" v-model="body.decimalMark">
                <option value="">as the text makes plain</option>
                <option value=".">point: 1.50</option>
                <option value=",">comma: 1,50</option>
              </select>
            </FormField>
            <FormField v-slot="{ id }" label="Their server wants the answer">
              <select :id="id" v-model="body.answerStyle">
                <option value="json">JSON with outcome and reason</option>
                <option value="ok">OK</option>
                <option value="one">1</option>
                <option value="empty">empty</option>
              </select>
            </FormField>
          </div>
          <div class="halves">
            <FormField v-slot="{ id, invalid }" label="Their documentation" :error="error('docsUrl')">
              <input
                :id="id"
                v-model.trim="body.docsUrl"
                class="mono-input"
                placeholder="https://"
                :aria-invalid="invalid"
              />
            </FormField>
            <FormField
              v-slot="{ id, invalid }"
              label="Zone of their days"
              hint="Empty: the desk’s."
              :error="error('zone')"
            >
              <input
                :id="id"
                v-model.trim="body.zone"
                placeholder="Europe/Brussels"
                :aria-invalid="invalid"
              />
            </FormField>
          </div>
          <TagsField v-model="body.tags" :error="error('tags')" />
          <FormField v-slot="{ id }" label="Notes">
            <textarea :id="id" v-model="body.notes" rows="2" />
          </FormField>
        </details>
      </fieldset>
      <Handover v-if="!saved" :network="body" :part="null" />
      <FormFoot v-if="!readOnly" :form="form" :label="part ? 'Save' : 'Create network'" />
    </form>
  </SideSheet>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.relation {
  gap: 18px;
}
</style>
