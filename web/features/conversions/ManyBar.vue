<script setup lang="ts">
/** Acts on all rows of a list: do it again, or set it aside with a reason. Shows how far it is; can be stopped. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import ProgressBar from 'primevue/progressbar';
import type { ManyAnswer } from '@tracheon/core/contract';
import { useConfirm } from 'primevue/useconfirm';
import { ref } from 'vue';
import FormField from '../../ui/FormField.vue';
import { useManyAtOnce } from './useManyAtOnce.ts';

const props = defineProps<{
  list: 'listPostbacksOut' | 'listPostbacksIn';
  /** What the list is narrowed by. */
  query: Record<string, string>;
  /** The act in words, for the button and for what was done: `Retry all`, `will be sent again`. */
  label: string;
  done: string;
  again: (ids: string[]) => Promise<ManyAnswer>;
  setAside?: (ids: string[], reason: string) => Promise<ManyAnswer>;
  /** What to say before it is done to all. */
  askFirst?: string;
}>();
const emit = defineEmits<{ changed: [] }>();
const many = useManyAtOnce();
const asksReason = ref(false);
const reason = ref('');
const what = ref('');

const confirm = useConfirm();
function begin(): void {
  if (!props.askFirst) return void all();
  confirm.require({
    header: `${props.label}?`,
    message: props.askFirst,
    acceptLabel: props.label,
    rejectLabel: 'Cancel',
    accept: () => void all(),
  });
}
async function all(): Promise<void> {
  what.value = props.done;
  await many.run(props.list, props.query, props.again);
  emit('changed');
}
async function aside(): Promise<void> {
  const why = reason.value.trim();
  if (why === '') return;
  what.value = 'set aside';
  asksReason.value = false;
  await many.run(props.list, props.query, (ids) => props.setAside!(ids, why));
  reason.value = '';
  emit('changed');
}
</script>
<template>
  <section class="many sheet pad" :aria-label="label">
    <div class="row">
      <Button :disabled="many.isRunning.value" @click="begin">{{ label }}</Button>
      <Button
        v-if="setAside"
        severity="secondary"
        :disabled="many.isRunning.value"
        @click="asksReason = !asksReason"
      >
        Set all aside …
      </Button>
      <template v-if="many.isRunning.value">
        <ProgressBar class="bar" mode="indeterminate" aria-label="Progress" />
        <span role="status">{{ many.seen.value }} processed</span>
        <Button severity="secondary" size="small" @click="many.stop">Stop</Button>
      </template>
      <span v-else-if="many.failure.value" class="error" role="alert">{{ many.failure.value }}</span>
      <span v-else-if="many.isFinished.value" role="status">
        {{ many.changed.value }} {{ what }}, {{ many.seen.value - many.changed.value }} not changed{{
          many.isStopped() ? '; stopped before the end' : ''
        }}.
      </span>
    </div>
    <ul v-if="many.isFinished.value && many.reasons.value.length > 0" aria-label="Reasons">
      <li v-for="r in many.reasons.value" :key="r.why">{{ r.n }} × {{ r.why }}</li>
    </ul>
    <form v-if="asksReason" class="row" @submit.prevent="aside">
      <FormField v-slot="{ id }" label="Reason">
        <InputText
          class="reason"
          :id="id"
          v-model="reason"
          maxlength="200"
          autofocus
          placeholder="For example: account closed"
        />
      </FormField>
      <Button type="submit" :disabled="reason.trim() === ''">Set aside</Button>
    </form>
  </section>
</template>
<style scoped>
.many {
  margin-bottom: 10px;
}
.reason {
  width: min(420px, 60vw);
}
.bar {
  width: 120px;
  height: 6px;
}
ul {
  margin: 8px 0 0;
  padding-left: 18px;
}
form {
  margin-top: 8px;
  align-items: center;
}
</style>
