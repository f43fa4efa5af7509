<script setup lang="ts">
/** A network's words for statuses, events and currencies, each with what it means to us. */
import InputText from 'primevue/inputtext';
import PickOne from '../../ui/PickOne.vue';
import { statusMeanings, type NetworkInput } from '@tracheon/core/contract';
import { useParts } from '../../app/parts.ts';
import { newRow } from '../../shared/newRows.ts';
import FormField from '../../ui/FormField.vue';
import RowsField from '../../ui/RowsField.vue';
import EventTypePick from './EventTypePick.vue';

const body = defineModel<NetworkInput>({ required: true });
const props = defineProps<{ error: (path: string) => string | undefined }>();
const parts = useParts();
function makeEventWord(): NetworkInput['eventWords'][number] {
  const [first, ...others] = parts.of('event-type');
  return newRow.eventWord(others.length === 0 ? first?.id : '');
}
const wrong = (path: string, ...fields: string[]): string | undefined =>
  fields.map((f) => props.error(`${path}.${f}`)).find(Boolean);
</script>
<template>
  <RowsField
    v-slot="{ row, i }"
    v-model="body.statusWords"
    title="Status mapping"
    hint="Our own status names always work. A postback with an unmapped status needs repair."
    add="Add status word"
    one="status word"
    :make="newRow.statusWord"
  >
    <div class="row">
      <InputText
        v-model="row.word"
        class="mono-input word"
        :aria-label="`Status word ${i + 1}`"
        :invalid="!!error(`statusWords.${i}.word`)"
      />
      <span class="quiet">means</span>
      <PickOne
        v-model="row.means"
        class="means"
        placeholder="Choose"
        :aria-label="`Meaning of status word ${i + 1}`"
        :invalid="!!error(`statusWords.${i}.means`)"
        :options="statusMeanings.map((m) => ({ value: m, label: m }))"
      />
      <span v-if="wrong(`statusWords.${i}`, 'word', 'means')" class="error small">{{
        wrong(`statusWords.${i}`, 'word', 'means')
      }}</span>
    </div>
  </RowsField>
  <FormField v-slot="{ id }" label="A postback without a status means">
    <PickOne
      :id="id"
      v-model="body.noStatusMeans"
      :options="[
        { value: 'approved', label: 'approved' },
        { value: 'pending', label: 'pending' },
      ]"
    />
  </FormField>
  <RowsField
    v-slot="{ row, i }"
    v-model="body.eventWords"
    title="Event mapping"
    :hint="`Your event types’ own names always work. A postback without an event counts as ${parts.of('event-type')[0]?.body.name ?? 'your first event type'}.`"
    add="Add event word"
    one="event word"
    :make="makeEventWord"
  >
    <div class="row">
      <InputText
        v-model="row.word"
        class="mono-input word"
        :aria-label="`Event word ${i + 1}`"
        :invalid="!!error(`eventWords.${i}.word`)"
      />
      <span class="quiet">means</span>
      <EventTypePick
        v-model="row.eventTypeId"
        class="means"
        :aria-label="`Event type of word ${i + 1}`"
        :word="row.word"
        :invalid="!!error(`eventWords.${i}.eventTypeId`)"
      />
      <span v-if="wrong(`eventWords.${i}`, 'word', 'eventTypeId')" class="error small">{{
        wrong(`eventWords.${i}`, 'word', 'eventTypeId')
      }}</span>
    </div>
  </RowsField>
  <RowsField
    v-slot="{ row, i }"
    v-model="body.currencyWords"
    title="Currency mapping"
    hint="Currency codes such as EUR always work. Add a word only if the network writes a currency another way."
    add="Add currency word"
    one="currency word"
    :make="newRow.currencyWord"
  >
    <div class="row">
      <InputText
        v-model="row.word"
        class="mono-input word"
        :aria-label="`Currency word ${i + 1}`"
        :invalid="!!error(`currencyWords.${i}.word`)"
      />
      <span class="quiet">means</span>
      <InputText
        v-model="row.currency"
        class="code"
        maxlength="3"
        placeholder="EUR"
        :aria-label="`Currency of word ${i + 1}`"
        :invalid="!!error(`currencyWords.${i}.currency`)"
      />
      <span v-if="wrong(`currencyWords.${i}`, 'word', 'currency')" class="error small">{{
        wrong(`currencyWords.${i}`, 'word', 'currency')
      }}</span>
    </div>
  </RowsField>
</template>
<style scoped>
.code {
  width: 64px;
  text-transform: uppercase;
}
</style>
<style scoped src="./partForm.css"></style>
