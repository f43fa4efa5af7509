<script setup lang="ts">
/** A conversion that no postback told: added by hand, with a reason. */
import InputText from 'primevue/inputtext';
import { handConversion, statuses } from '@tracheon/core/contract';
import { useToast } from 'primevue/usetoast';
import type { z } from 'zod';
import { ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import DraftSheet from '../../shared/DraftSheet.vue';
import { useDraftForm } from '../../shared/useDraftForm.ts';
import FormField from '../../ui/FormField.vue';
import MomentField from '../../ui/MomentField.vue';
import MoneyField from '../../ui/MoneyField.vue';
import PickOne from '../../ui/PickOne.vue';

const emit = defineEmits<{ added: [conversionId: string] }>();
const open = defineModel<boolean>('open', { required: true });
const parts = useParts();
const session = useSession();
const toast = useToast();
const blank: z.output<typeof handConversion> = {
  clickId: '',
  eventTypeId: parts.of('event-type')[0]?.id ?? '',
  status: 'approved',
  payoutMicros: '',
  currency: '',
  transaction: '',
  conversionTime: '',
  reason: '',
};
const form = useDraftForm(handConversion, blank, 'conversion.new');
const { body, error } = form;

async function save(): Promise<void> {
  let made = '';
  const isAdded = await form.save(async (value) => {
    const { conversionId, sentence } = await ask('addConversion', { body: value });
    made = conversionId;
    toast.add({ severity: 'secondary', summary: 'Added', detail: sentence, life: 5000 });
  });
  if (!isAdded) return;
  open.value = false;
  if (made !== '') emit('added', made);
}
</script>
<template>
  <DraftSheet
    v-model:open="open"
    title="Add conversion"
    says="For a conversion that the network confirmed in another way. If its postback arrives later, Tracheon does not count it twice."
    :form="form"
    action="Add conversion"
    :save="save"
  >
    <FormField v-slot="{ id, invalid }" label="Click ID" :error="error('clickId')">
      <InputText :id="id" v-model="body.clickId" class="mono-input" :invalid="invalid" autocomplete="off" />
    </FormField>
    <FormField v-slot="{ id }" label="Event type" :error="error('eventTypeId')">
      <PickOne
        :id="id"
        v-model="body.eventTypeId"
        :options="parts.of('event-type').map((e) => ({ value: e.id, label: e.body.name }))"
      />
    </FormField>
    <FormField v-slot="{ id }" label="Status">
      <PickOne :id="id" v-model="body.status" :options="statuses.map((s) => ({ value: s, label: s }))" />
    </FormField>
    <MoneyField
      v-model:amount="body.payoutMicros"
      v-model:currency="body.currency"
      label="Payout"
      hint="If empty, the offer’s payout counts."
      :error="error('payoutMicros') ?? error('currency')"
      :usual="session.desk.currency"
    />
    <FormField
      v-slot="{ id, invalid, described }"
      label="Transaction"
      hint="The network’s ID of the conversion. It keeps a later postback from counting twice."
      :error="error('transaction')"
    >
      <InputText
        :id="id"
        v-model="body.transaction"
        class="mono-input"
        :invalid="invalid"
        :aria-describedby="described"
        autocomplete="off"
      />
    </FormField>
    <FormField v-slot="{ invalid }" label="Conversion time" hint="Empty means now.">
      <MomentField
        v-model="body.conversionTime"
        :zone="session.desk.zone"
        label="Conversion time"
        :invalid="invalid"
      />
    </FormField>
    <FormField v-slot="{ id, invalid }" label="Reason" :error="error('reason')">
      <InputText :id="id" v-model="body.reason" maxlength="200" :invalid="invalid" />
    </FormField>
  </DraftSheet>
</template>
