<script setup lang="ts">
/** A network: what it calls things, and the postback URL that is handed over to it. */
import {
  callFields,
  macroShapes,
  networkInput,
  type CallField,
  type NetworkInput,
  type PartRecord,
} from '@tracheon/core/contract';
import { postbackUrl } from '@tracheon/core/links';
import { completeMacro, shapeOf } from '@tracheon/core/tokens';
import { Plus, X } from '@lucide/vue';
import { computed, nextTick, ref } from 'vue';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import FormField from '../../shared/FormField.vue';
import FormFoot from '../../shared/FormFoot.vue';
import NameField from '../../shared/NameField.vue';
import SideSheet from '../../shared/SideSheet.vue';
import { usePartForm } from '../../shared/usePartForm.ts';
import HandOver from './HandOver.vue';

const props = defineProps<{ part?: PartRecord<'network'> }>();
const open = defineModel<boolean>('open', { required: true });
const emit = defineEmits<{ saved: [record: PartRecord] }>();
const parts = useParts();
const session = useSession();
const blank = {
  name: '',
  clickIdParameter: '',
  macroShape: '{x}' as const,
  fields: Object.fromEntries(
    callFields.map((f) => [f, { macro: '', parameter: '' }]),
  ) as NetworkInput['fields'],
  statusWords: [] as NetworkInput['statusWords'],
  eventWords: [] as NetworkInput['eventWords'],
  noStatusMeans: 'approved' as const,
  payoutMeans: 'event' as const,
  negativeMeans: 'refund' as const,
  decimalMark: '' as const,
  answerStyle: 'json' as const,
  notes: '',
};
const form = usePartForm('network', networkInput, blank as NetworkInput, props.part);
const { body, error } = form;
const saved = ref<PartRecord<'network'> | undefined>(props.part);
const readOnly = computed(() => !session.canEdit);

const labels: Record<CallField, [name: string, says: string]> = {
  click_id: ['Click ID', 'ours, coming back'],
  payout: ['Payout', 'what the conversion pays'],
  currency: ['Currency', 'of the payout'],
  transaction: ['Transaction', 'their number of the conversion'],
  event: ['Event', 'which kind of conversion'],
  status: ['Status', 'pending, approved, …'],
  conversion_time: ['Conversion time', 'when it happened'],
  changed_time: ['Time of change', 'when the status changed'],
};
function complete(f: CallField): void {
  body.fields[f].macro = completeMacro(body.macroShape, body.fields[f].macro);
}
function macroNote(f: CallField): string {
  const macro = body.fields[f].macro;
  if (macro === '') return '';
  const shape = shapeOf(macro);
  if (shape === null) return 'No placeholder: it will go out as this fixed text.';
  return shape === body.macroShape ? '' : `Written ${shape}, this network’s shape is ${body.macroShape}.`;
}
const preview = computed(() => postbackUrl(session.me?.trackingOrigin ?? '', saved.value?.key ?? '…', body));

async function save(): Promise<void> {
  const record = await form.save();
  if (!record) return;
  saved.value = record;
  emit('saved', record);
  await nextTick();
  document.getElementById('hand-over')?.scrollIntoView();
}
</script>
<template>
  <SideSheet
    v-model:open="open"
    :title="part ? part.body.name : 'New network'"
    says="Who pays. Copy their names and macros from their postback help."
  >
    <HandOver
      v-if="part"
      id="hand-over"
      :url="postbackUrl(session.me?.trackingOrigin ?? '', part.key, part.body)"
      :name="part.body.name"
    />
    <form class="form" @submit.prevent="save">
      <fieldset :disabled="readOnly" class="plain">
        <NameField v-model="body.name" kind="network" :error="error('name')" :except="part?.id" />
        <div class="halves">
          <FormField
            v-slot="{ id, invalid, described }"
            label="Parameter that takes our click ID"
            hint="Their sub-ID in offer links, such as aff_ref."
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
            <select :id="id" v-model="body.macroShape" class="mono-input">
              <option v-for="s in macroShapes" :key="s">{{ s }}</option>
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
            <tr v-for="f in callFields" :key="f">
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
        <div class="words">
          <h3>Their words for statuses</h3>
          <p class="quiet small">
            Ours are understood as they are. A word that is mapped nowhere keeps the call for repair.
          </p>
          <div v-for="(w, i) in body.statusWords" :key="i" class="row">
            <input
              v-model="w.word"
              class="mono-input word"
              :aria-label="`Status word ${i + 1}`"
              :aria-invalid="!!error(`statusWords.${i}.word`)"
            />
            <span class="quiet">means</span>
            <select v-model="w.means" class="means" :aria-label="`Meaning of status word ${i + 1}`">
              <option v-for="m in ['pending', 'approved', 'rejected', 'reversed', 'ignore']" :key="m">
                {{ m }}
              </option>
            </select>
            <button
              type="button"
              class="bare"
              :aria-label="`Remove status word ${i + 1}`"
              @click="body.statusWords.splice(i, 1)"
            >
              <X :size="15" />
            </button>
            <span v-if="error(`statusWords.${i}.word`)" class="error small">{{
              error(`statusWords.${i}.word`)
            }}</span>
          </div>
          <button type="button" class="bare" @click="body.statusWords.push({ word: '', means: 'approved' })">
            <Plus :size="14" aria-hidden="true" /> Status word
          </button>
        </div>
        <FormField v-slot="{ id }" label="A call without a status means">
          <select :id="id" v-model="body.noStatusMeans">
            <option value="approved">approved</option>
            <option value="pending">pending</option>
          </select>
        </FormField>
        <div class="words">
          <h3>Their words for events</h3>
          <p class="quiet small">
            The words of your event types are understood as they are. No word means the first one,
            {{ parts.of('event-type')[0]?.body.name }}.
          </p>
          <div v-for="(w, i) in body.eventWords" :key="i" class="row">
            <input v-model="w.word" class="mono-input word" :aria-label="`Event word ${i + 1}`" />
            <span class="quiet">means</span>
            <select v-model="w.eventTypeId" class="means" :aria-label="`Event type of word ${i + 1}`">
              <option v-for="e in parts.of('event-type')" :key="e.id" :value="e.id">{{ e.body.name }}</option>
            </select>
            <button
              type="button"
              class="bare"
              :aria-label="`Remove event word ${i + 1}`"
              @click="body.eventWords.splice(i, 1)"
            >
              <X :size="15" />
            </button>
            <span v-if="error(`eventWords.${i}.word`)" class="error small">{{
              error(`eventWords.${i}.word`)
            }}</span>
          </div>
          <button
            type="button"
            class="bare"
            @click="body.eventWords.push({ word: '', eventTypeId: parts.of('event-type')[0]?.id ?? '' })"
          >
            <Plus :size="14" aria-hidden="true" /> Event word
          </button>
        </div>
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
          <FormField v-slot="{ id }" label="Notes">
            <textarea :id="id" v-model="body.notes" rows="2" />
          </FormField>
        </details>
      </fieldset>
      <HandOver v-if="!part" :url="preview" :name="body.name || 'the network'" unsaved />
      <FormFoot v-if="!readOnly" :form="form" :label="part ? 'Save' : 'Create network'" />
    </form>
  </SideSheet>
</template>
<style scoped src="./partForm.css"></style>
