<script setup lang="ts">
/** Repairs and other runs of the last time: how far they are, what they did, and their undoing. */
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import type { EndpointName, ReceiptBatch } from '@tracheon/core/contract';
import { useConfirm } from 'primevue/useconfirm';
import { useToast } from 'primevue/usetoast';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef } from 'vue';
import { ask } from '../../../app/api.ts';
import { newest } from '../../../base/newest.ts';
import { useParts } from '../../../app/parts.ts';
import { useSession } from '../../../app/session.ts';
import { onNews } from '../../../app/stream.ts';
import { count, moment } from '../../../ui/format.ts';
import StateBlock from '../../../ui/StateBlock.vue';
import { listWord } from '../filters.ts';

const props = defineProps<{ title: string; kinds: readonly ReceiptBatch['kind'][] }>();
const emit = defineEmits<{ changed: []; failed: [id: string] }>();
const SHOWN = 5;
const POLL_MS = 1000;
const session = useSession();
const parts = useParts();
const confirm = useConfirm();
const toast = useToast();
const all = shallowRef<ReceiptBatch[]>([]);
const failure = ref('');
const shown = computed(() => all.value.filter((b) => props.kinds.includes(b.kind)).slice(0, SHOWN));
const isBusy = (b: ReceiptBatch): boolean => b.state === 'running' || b.state === 'undoing';

const asks = newest();
const load = (): Promise<void> => asks(ask('listBatches', {}), show, (why) => (failure.value = why));
function show(found: ReceiptBatch[]): void {
  // Also one that ran so fast that it was never seen running.
  const before = new Map(all.value.map((b) => [b.id, b.state]));
  const isOver = found.some((b) => !isBusy(b) && before.has(b.id) && before.get(b.id) !== b.state);
  all.value = found;
  failure.value = '';
  if (!isOver) return;
  void parts.load();
  emit('changed');
}
defineExpose({ load });
onNews(['postbacks-in'], load);
let timer: ReturnType<typeof setInterval> | undefined;
onMounted(() => {
  void load();
  timer = setInterval(() => all.value.some(isBusy) && void load(), POLL_MS);
});
onBeforeUnmount(() => clearInterval(timer));

async function act(
  what: Extract<EndpointName, 'stopBatch' | 'resumeBatch' | 'undoBatch'>,
  batch: ReceiptBatch,
): Promise<void> {
  try {
    await ask(what, { id: batch.id });
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
  }
  await load();
}
function askUndo(batch: ReceiptBatch): void {
  confirm.require({
    header: 'Undo this?',
    message: `Tracheon takes back what it booked${batch.kind === 'repair' ? ', and the network’s change' : ''}. ${
      batch.sentOn > 0
        ? `${count(batch.sentOn)} postbacks were sent to sources. Tracheon can’t take those back.`
        : 'No postback was sent to a source.'
    }`,
    acceptLabel: 'Undo',
    rejectLabel: 'Cancel',
    accept: () => void act('undoBatch', batch),
  });
}
const hasFailed = (b: ReceiptBatch): boolean =>
  b.kind === 'carried'
    ? b.state === 'done' && b.results.reduce((n, r) => n + r.count, 0) < b.total
    : b.kind === 'file' && b.results.some((r) => ['repair', 'ignored', 'set_aside'].includes(r.outcome));
const words = (b: ReceiptBatch): string =>
  b.results.map((r) => `${count(r.count)} ${listWord(r.outcome)}`).join(', ') || 'nothing yet';
const sent = (b: ReceiptBatch): string =>
  b.sentOn === 1 ? '1 postback sent' : `${count(b.sentOn)} postbacks sent`;
const states: Record<ReceiptBatch['state'], string> = {
  draft: 'not started',
  running: 'running',
  stopped: 'stopped',
  done: 'done',
  undoing: 'undoing',
  undone: 'undone',
};
</script>
<template>
  <section v-if="shown.length > 0 || failure" class="sheet pad" :aria-label="title">
    <h2>{{ title }}</h2>
    <StateBlock v-if="failure" state="failed" :words="failure" @again="load" />
    <ul>
      <li v-for="b in shown" :key="b.id">
        <div>
          <strong>{{ b.words }}</strong>
          <span class="quiet">
            · {{ moment(b.at, session.desk.zone) }} · {{ b.by }} · {{ states[b.state] }}</span
          >
        </div>
        <div class="row">
          <template v-if="isBusy(b)">
            <ProgressBar
              class="bar"
              :value="b.total === 0 ? 0 : Math.round((b.finished / b.total) * 100)"
              :show-value="false"
              aria-label="Progress"
            />
            <span role="status">{{ count(b.finished) }} of {{ count(b.total) }}</span>
          </template>
          <span v-else class="quiet">{{ [words(b), b.problem].filter(Boolean).join('. ') }}</span>
          <RouterLink
            v-if="b.sentOn > 0"
            :to="`/conversions/postbacks-out?kind=delivered&batch=${b.id}`"
            :aria-label="`${sent(b)} of ${b.words}`"
            >{{ sent(b) }}</RouterLink
          >
          <template v-if="session.canEdit">
            <Button
              v-if="b.state === 'running'"
              severity="secondary"
              size="small"
              @click="act('stopBatch', b)"
              >Stop</Button
            >
            <Button
              v-if="b.state === 'stopped'"
              severity="secondary"
              size="small"
              @click="act('resumeBatch', b)"
              >Continue</Button
            >
            <Button v-if="hasFailed(b)" variant="link" @click="emit('failed', b.id)"
              >Download failed rows</Button
            >
            <Button
              v-if="['done', 'stopped'].includes(b.state)"
              variant="link"
              :aria-label="`Undo ${b.words}`"
              @click="askUndo(b)"
              >Undo</Button
            >
          </template>
        </div>
      </li>
    </ul>
  </section>
</template>
<style scoped>
h2 {
  font-size: 14px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  font-size: 12.5px;
}
li {
  border-top: 1px solid var(--hairline);
  padding: 6px 0;
}
.row {
  flex-wrap: wrap;
}
.bar {
  width: 120px;
  height: 6px;
}
</style>
