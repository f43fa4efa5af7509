<script setup lang="ts">
import InputText from 'primevue/inputtext';
import Checkbox from 'primevue/checkbox';
import { eventTypeInput, wholeBody, type PartRecord } from '@tracheon/core/contract';
import { useSession } from '../../app/session.ts';
import FormField from '../../ui/FormField.vue';
import DraftSheet from '../../shared/DraftSheet.vue';
import NameField from '../../shared/NameField.vue';
import { usePartForm } from '../../shared/usePartForm.ts';

const props = defineProps<{ part?: PartRecord<'event-type'> }>();
const open = defineModel<boolean>('open', { required: true });
const emit = defineEmits<{ saved: [record: PartRecord] }>();
const session = useSession();
const form = usePartForm(
  'event-type',
  eventTypeInput,
  wholeBody('event-type', { name: '', word: '' }),
  props.part,
);
const { body, error } = form;
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
    :title="part ? part.body.name : 'New event type'"
    says="An event type is something a network can pay for, such as a sale or a sign-up."
    :form="form"
    :action="part ? 'Save' : 'Create event type'"
    :read-only="!session.canEdit"
    :save="save"
  >
    <NameField v-model="body.name" kind="event-type" :error="error('name')" :except="part?.id" />
    <FormField
      v-slot="{ id, invalid, described }"
      label="Event name in postbacks"
      hint="The name in postbacks, for example: sale."
      :error="error('word')"
    >
      <InputText
        :id="id"
        v-model="body.word"
        class="mono-input"
        autocomplete="off"
        :invalid="invalid"
        :aria-describedby="described"
      />
    </FormField>
    <label class="row"
      ><Checkbox v-model="body.repeats" binary /> Can happen more than once per visit, even without a
      transaction</label
    >
    <label class="row"><Checkbox v-model="body.countsAsConversion" binary /> Counts as conversion</label>
    <label class="row"><Checkbox v-model="body.countsAsRevenue" binary /> Counts as revenue</label>
  </DraftSheet>
</template>
<style scoped src="./partForm.css"></style>
