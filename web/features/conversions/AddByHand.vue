<script setup lang="ts">
/** A conversion that no postback told: added by hand, with a reason. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { handConversion, statuses, type HandConversion } from '@tracheon/core/contract';
import { useToast } from 'primevue/usetoast';
import { computed, reactive, ref } from 'vue';
import { ApiError, ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import FormField from '../../ui/FormField.vue';
import MomentField from '../../ui/MomentField.vue';
import MoneyField from '../../ui/MoneyField.vue';
import PickOne from '../../ui/PickOne.vue';
import SideSheet from '../../ui/SideSheet.vue';

const emit = defineEmits<{ added: [conversionId: string] }>();
const open = defineModel<boolean>('open', { required: true });
const parts = useParts();
const session = useSession();
const toast = useToast();
const body = reactive<Required<HandConversion>>({
  clickId: '',
  eventTypeId: parts.of('event-type')[0]?.id ?? '',
  status: 'approved',
  payoutMicros: '',
  currency: '',
  transaction: '',
  conversionTime: '',
  reason: '',
});
const isTried = ref(false);
const busy = ref(false);
const failure = ref('');
const refused = ref<Record<string, string>>({});
const problems = computed<Record<string, string>>(() => {
  const found: Record<string, string> = {};
  for (const { path, message } of handConversion.safeParse(body).error?.issues ?? [])
    found[String(path[0])] ??= message;
  return found;
});
const error = (field: keyof HandConversion): string | undefined =>
  refused.value[field] ?? (isTried.value || body[field] !== '' ? problems.value[field] : undefined);

async function add(): Promise<void> {
  isTried.value = true;
  if (busy.value || Object.keys(problems.value).length > 0) return;
  busy.value = true;
  failure.value = '';
  refused.value = {};
  try {
    const { conversionId, sentence } = await ask('addConversion', { body: { ...body } });
    toast.add({ severity: 'secondary', summary: 'Added', detail: sentence, life: 5000 });
    open.value = false;
    emit('added', conversionId);
  } catch (e) {
    failure.value = (e as Error).message;
    if (e instanceof ApiError)
      refused.value = Object.fromEntries((e.fields ?? []).map((f) => [f.path, f.message]));
  } finally {
    busy.value = false;
  }
}
</script>
<template>
  <SideSheet
    v-model:open="open"
    title="Add conversion"
    says="For a conversion that the network confirmed in another way. If its postback arrives later, Tracheon does not count it twice."
  >
    <form class="stack" @submit.prevent="add">
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
        v-slot="{ id, invalid }"
        label="Transaction"
        hint="The network’s ID of the conversion. It keeps a later postback from counting twice."
        :error="error('transaction')"
      >
        <InputText
          :id="id"
          v-model="body.transaction"
          class="mono-input"
          :invalid="invalid"
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
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <div class="row">
        <Button type="submit" :disabled="busy">{{ busy ? 'Adding …' : 'Add conversion' }}</Button>
      </div>
    </form>
  </SideSheet>
</template>
