<script setup lang="ts">
/** What a source billed for a period, or gave back: an amount, its days, and the visits that it is for. */
import Textarea from 'primevue/textarea';
import { useToast } from 'primevue/usetoast';
import { costInput, MAX_ENTRY_SUBS, type CostInput } from '@tracheon/core/contract';
import { shiftDay } from '@tracheon/core/time';
import { computed, watch } from 'vue';
import { ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import DraftSheet from '../../shared/DraftSheet.vue';
import { usePeriod } from '../../shared/period.ts';
import { subsOf } from '@tracheon/core/parts';
import { useDraftForm } from '../../shared/useDraftForm.ts';
import AmountInput from '../../ui/AmountInput.vue';
import DayField from '../../ui/DayField.vue';
import FormField from '../../ui/FormField.vue';
import PickOne from '../../ui/PickOne.vue';
import RowsField from '../../ui/RowsField.vue';
import TextField from '../../ui/TextField.vue';

const emit = defineEmits<{ added: [] }>();
const open = defineModel<boolean>('open', { required: true });
const parts = useParts();
const toast = useToast();
const { today } = usePeriod();
const yesterday = shiftDay(today.value, -1);
const sources = computed(() => parts.of('source').map((s) => ({ value: s.id, label: s.body.name })));
const blank: CostInput = {
  sourceId: sources.value.length === 1 ? sources.value[0]!.value : '',
  campaignId: '',
  accountId: '',
  subs: [],
  from: yesterday,
  to: yesterday,
  isCredit: false,
  amountMicros: '',
  notes: '',
};
const form = useDraftForm(costInput, blank, 'cost.new');
const { body, error } = form;
const source = computed(() => parts.one('source', body.sourceId)?.body);
const campaigns = computed(() => [
  { value: '', label: 'all campaigns' },
  ...parts
    .of('campaign', true)
    .filter((c) => c.body.sourceId === body.sourceId)
    .map((c) => ({ value: c.id, label: c.body.name })),
]);
const accounts = computed(() => source.value?.accounts ?? []);
const subs = computed(() => (source.value ? subsOf(source.value) : []));
// What was chosen of another source is no part of this one.
watch(
  () => body.sourceId,
  () => Object.assign(body, { campaignId: '', accountId: '', subs: [] }),
);
const what = computed({
  get: () => (body.isCredit ? 'credit' : 'cost'),
  set: (value) => (body.isCredit = value === 'credit'),
});
const currency = computed(() => source.value?.costCurrency ?? '');

async function save(): Promise<void> {
  const isAdded = await form.save(async (value) => {
    await ask('addCost', { body: value });
    toast.add({
      severity: 'secondary',
      summary: value.isCredit ? 'Credit added' : 'Cost added',
      detail: 'Tracheon spreads it over the visits within seconds.',
      life: 5000,
    });
  });
  if (!isAdded) return;
  open.value = false;
  emit('added');
}
</script>
<template>
  <DraftSheet
    v-model:open="open"
    title="Add cost"
    says="Tracheon spreads the amount over the visits of these days. It replaces their estimated cost and their cost from links."
    :form="form"
    :action="body.isCredit ? 'Add credit' : 'Add cost'"
    :save="save"
  >
    <FormField v-slot="{ id, invalid }" label="Source" :error="error('sourceId')">
      <PickOne
        :id="id"
        v-model="body.sourceId"
        :options="sources"
        placeholder="Choose the source"
        :invalid="invalid"
      />
    </FormField>
    <FormField
      v-slot="{ id }"
      label="What it is"
      :hint="
        body.isCredit
          ? 'A credit lowers the cost of its days. Use it for a refund.'
          : 'The amount replaces what these visits cost so far.'
      "
    >
      <PickOne
        :id="id"
        v-model="what"
        :options="[
          { value: 'cost', label: 'cost that the source billed' },
          { value: 'credit', label: 'credit that the source gave' },
        ]"
      />
    </FormField>
    <FormField
      v-slot="{ id, invalid, described }"
      :label="currency ? `Amount, in ${currency}` : 'Amount'"
      :hint="currency ? 'Without the fee of the source. Tracheon adds it.' : 'In the currency of the source.'"
      :error="error('amountMicros')"
    >
      <AmountInput :id="id" v-model="body.amountMicros" :invalid="invalid" :describedby="described" />
    </FormField>
    <div class="days">
      <FormField v-slot="{ id, invalid }" label="First day" :error="error('from')">
        <DayField :id="id" v-model="body.from" :invalid="invalid" />
      </FormField>
      <FormField
        v-slot="{ id, invalid }"
        label="Last day (inclusive)"
        :hint="
          source?.zone ? `In the time zone of the source, ${source.zone}.` : 'In the time zone of the desk.'
        "
        :error="error('to')"
      >
        <DayField :id="id" v-model="body.to" :invalid="invalid" />
      </FormField>
    </div>
    <FormField v-slot="{ id, invalid }" label="Campaign" :error="error('campaignId')">
      <PickOne :id="id" v-model="body.campaignId" :options="campaigns" :invalid="invalid" />
    </FormField>
    <FormField v-if="accounts.length" v-slot="{ id, invalid }" label="Account" :error="error('accountId')">
      <PickOne
        :id="id"
        v-model="body.accountId"
        :invalid="invalid"
        :options="[
          { value: '', label: 'all accounts' },
          ...accounts.map((a) => ({ value: a.name, label: a.name })),
        ]"
      />
    </FormField>
    <RowsField
      v-if="subs.length && body.subs.length <= MAX_ENTRY_SUBS"
      v-slot="{ row, i }"
      v-model="body.subs"
      title="Only visits with"
      add="Add sub-ID"
      one="sub-ID"
      :make="() => ({ name: subs[0]!, value: '' })"
    >
      <FormField v-slot="{ id }" label="Sub-ID" :error="error(`subs.${i}.name`)">
        <PickOne :id="id" v-model="row.name" :options="subs.map((s) => ({ value: s, label: s }))" />
      </FormField>
      <TextField v-model="row.value" label="Value" :error="error(`subs.${i}.value`)" />
    </RowsField>
    <FormField v-slot="{ id, invalid }" label="Notes (optional)" :error="error('notes')">
      <Textarea :id="id" v-model="body.notes" rows="2" :invalid="invalid" />
    </FormField>
  </DraftSheet>
</template>
<style scoped>
.days {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(220px, 100%), 1fr));
  gap: 2px 14px;
}
</style>
