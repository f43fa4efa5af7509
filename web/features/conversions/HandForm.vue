<script setup lang="ts">
/** A change by hand of one conversion, or of all that a list shows: its fields, the reason, and how far it is. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import type { ManyAnswer } from '@tracheon/core/contract';
import { computed, ref } from 'vue';
import { count } from '../../ui/format.ts';
import FormField from '../../ui/FormField.vue';
import { useManyAtOnce } from './useManyAtOnce.ts';

const props = defineProps<{
  label: string;
  /** Of the button: for one conversion, and for all of a list. */
  actions: { one: string; all: string };
  /** The conversion that is changed; without it all of the list. */
  conversionId?: string | undefined;
  /** What the list is narrowed by, where all of it is changed. */
  query?: Record<string, string> | undefined;
  isReady: boolean;
  reasonHint: string;
  change: (ids: string[], reason: string, batchId: string) => Promise<ManyAnswer & { batchId: string }>;
}>();
const emit = defineEmits<{ changed: []; cancel: [] }>();
const reason = ref('');
const failure = ref('');
const many = useManyAtOnce();
const isWhole = computed(() => props.isReady && reason.value.trim() !== '');
let batchId = '';
async function changeThese(ids: string[]): Promise<ManyAnswer> {
  const answer = await props.change(ids, reason.value.trim(), batchId);
  ({ batchId } = answer);
  return answer;
}
async function run(): Promise<void> {
  if (!isWhole.value || many.isRunning.value) return;
  failure.value = '';
  batchId = '';
  if (props.conversionId === undefined) {
    await many.run('listConversions', props.query ?? {}, changeThese);
    if (many.seen.value === many.changed.value && many.failure.value === '') emit('changed');
    return;
  }
  try {
    const { unchanged } = await changeThese([props.conversionId]);
    if (unchanged[0]) failure.value = unchanged[0].why;
    else emit('changed');
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
</script>
<template>
  <form class="sheet pad stack" :aria-label="label" @submit.prevent="run">
    <div class="fields">
      <slot />
      <FormField v-slot="{ id }" label="Reason" :hint="reasonHint">
        <InputText :id="id" v-model="reason" maxlength="200" />
      </FormField>
    </div>
    <div class="row">
      <Button type="submit" :disabled="!isWhole || many.isRunning.value">{{
        conversionId === undefined ? actions.all : actions.one
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
