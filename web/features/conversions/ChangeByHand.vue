<script setup lang="ts">
/** Status or payout of one conversion, or of all that a list shows, changed by hand with a reason. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { statuses, type ConversionRow, type ManyAnswer } from '@tracheon/core/contract';
import { parseAmount } from '@tracheon/core/money';
import { computed, ref } from 'vue';
import { ask } from '../../app/api.ts';
import TextField from '../../ui/TextField.vue';
import { count } from '../../ui/format.ts';
import FormField from '../../ui/FormField.vue';
import PickOne from '../../ui/PickOne.vue';
import { useManyAtOnce } from './useManyAtOnce.ts';

const props = defineProps<{
  conversion?: ConversionRow;
  /** What the list is narrowed by, where all of it is changed. */
  query?: Record<string, string>;
}>();
const emit = defineEmits<{ changed: []; cancel: [] }>();
const status = ref('');
const payout = ref('');
const reason = ref('');
const failure = ref('');
const many = useManyAtOnce();
const options = [
  { value: '', label: 'as it is' },
  ...statuses.map((s) => ({ value: s as string, label: s as string })),
];
const amount = computed(() => (payout.value.trim() === '' ? null : parseAmount(payout.value.trim())));
const isReady = computed(
  () =>
    reason.value.trim() !== '' &&
    (status.value !== '' || amount.value !== null) &&
    (amount.value === null || amount.value.ok),
);
let batchId = '';
async function change(ids: string[]): Promise<ManyAnswer> {
  const answer = await ask('changeConversions', {
    body: {
      ids,
      status: status.value as never,
      payoutMicros: amount.value?.ok ? amount.value.micros.toString() : '',
      reason: reason.value.trim(),
      batchId,
    },
  });
  ({ batchId } = answer);
  return answer;
}
async function run(): Promise<void> {
  if (!isReady.value || many.isRunning.value) return;
  failure.value = '';
  batchId = '';
  if (!props.conversion) {
    await many.run('listConversions', props.query ?? {}, change);
    if (many.seen.value === many.changed.value && many.failure.value === '') emit('changed');
    return;
  }
  try {
    const { unchanged } = await change([props.conversion.id]);
    if (unchanged[0]) failure.value = unchanged[0].why;
    else emit('changed');
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
</script>
<template>
  <form class="sheet pad stack" aria-label="Change by hand" @submit.prevent="run">
    <div class="fields">
      <FormField v-slot="{ id }" label="Status">
        <PickOne :id="id" v-model="status" :options="options" />
      </FormField>
      <TextField
        v-model="payout"
        label="Payout"
        :error="amount && !amount.ok ? 'Write 1234.50.' : undefined"
        :placeholder="conversion ? `as it is, in ${conversion.currency}` : 'as it is'"
      />
      <FormField v-slot="{ id }" label="Reason" hint="Stays in the history of the conversion.">
        <InputText :id="id" v-model="reason" maxlength="200" />
      </FormField>
    </div>
    <div class="row">
      <Button type="submit" :disabled="!isReady || many.isRunning.value">{{
        conversion ? 'Change conversion' : 'Change all in the list'
      }}</Button>
      <Button severity="secondary" @click="emit('cancel')">Cancel</Button>
      <template v-if="many.isRunning.value"
        ><span role="status">{{ count(many.seen.value) }} processed</span
        ><Button severity="secondary" size="small" @click="many.stop">Stop</Button></template
      >
      <span v-else-if="many.isFinished.value" role="status"
        >{{ count(many.changed.value) }} changed, {{ count(many.seen.value - many.changed.value) }} not
        changed.</span
      >
      <span v-if="failure || many.failure.value" class="error" role="alert">{{
        failure || many.failure.value
      }}</span>
    </div>
    <ul v-if="many.isFinished.value && many.reasons.value.length > 0">
      <li v-for="r in many.reasons.value" :key="r.why">{{ r.n }} × {{ r.why }}</li>
    </ul>
  </form>
</template>
<style scoped>
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(180px, 100%), 1fr));
  gap: 2px 14px;
  align-items: start;
}
</style>
