<script setup lang="ts">
/** What a watch would have done over the past weeks, by what was known at each check. */
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import type { WatchDryRun, WatchFiring, WatchInput } from '@tracheon/core/contract';
import { seenWords } from '@tracheon/core/watches';
import { computed, defineAsyncComponent, onBeforeUnmount, ref, shallowRef } from 'vue';
import { ask, type ApiError } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { count, moment, money } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import PickOne from '../../ui/PickOne.vue';
import SignedMoney from '../../ui/SignedMoney.vue';
import StateBlock from '../../ui/StateBlock.vue';
import { useWatchNames } from './useWatchNames.ts';

const DryRunChart = defineAsyncComponent(() => import('./DryRunChart.vue'));
const props = defineProps<{ watch: WatchInput; disabled: boolean }>();
const session = useSession();
const names = useWatchNames();
const ASK_EVERY_MS = 500;
const days = ref<7 | 14 | 28>(14);
const run = shallowRef<WatchDryRun | null>(null);
const failure = ref('');
let timer: number | undefined;
const isRunning = computed(() => run.value?.state === 'running');
const acts = computed(() => props.watch.act !== 'notify');

async function start(): Promise<void> {
  failure.value = '';
  try {
    run.value = await ask('startDryRun', {
      body: { watch: { ...props.watch, name: props.watch.name || 'Trial' }, days: days.value },
    });
    later();
  } catch (error) {
    const { fields = [], message } = error as ApiError;
    failure.value = fields[0]?.message ?? message;
  }
}
function later(): void {
  timer = window.setTimeout(() => void look(), ASK_EVERY_MS);
}
async function look(): Promise<void> {
  if (!run.value) return;
  try {
    run.value = await ask('readDryRun', { id: run.value.id });
    if (isRunning.value) later();
  } catch (error) {
    run.value = null;
    failure.value =
      (error as ApiError).code === 'not_found'
        ? 'The server was started again, and the dry run is gone. Start it again.'
        : (error as Error).message;
  }
}
async function stop(): Promise<void> {
  if (run.value) await ask('stopDryRun', { id: run.value.id }).catch(() => undefined);
}
onBeforeUnmount(() => {
  window.clearTimeout(timer);
  if (isRunning.value) void stop();
});
const stepWords: Record<WatchFiring['step'], string> = {
  none: 'notified',
  act: 'acted',
  ask: 'asked',
  put_off: 'put off',
};
const summary = computed(() => {
  const r = run.value;
  if (!r) return '';
  const checks = `${count(r.done)} ${r.done === 1 ? 'check' : 'checks'}`;
  if (r.count === 0) return `Nothing was found in ${checks}.`;
  const found = `Found ${count(r.count)} ${r.count === 1 ? 'time' : 'times'} in ${checks}.`;
  const micros = BigInt(r.savedMicros);
  if (!acts.value) return found;
  const sum = `${money(micros < 0n ? -micros : micros)} ${session.desk.currency}`;
  const what = props.watch.asks ? 'Acting each time at once would have' : 'Its acts would have';
  return micros < 0n
    ? `${found} ${what} cost ${sum} of later profit.`
    : `${found} ${what} saved ${sum} of later losses.`;
});
</script>
<template>
  <div class="row">
    <span>Try it on the last</span>
    <PickOne
      v-model="days"
      class="days"
      :options="[
        { value: 7, label: '7 days' },
        { value: 14, label: '14 days' },
        { value: 28, label: '28 days' },
      ]"
      aria-label="Days to try it on"
    />
    <Button severity="secondary" :disabled="disabled || isRunning" @click="start">Start dry run</Button>
    <Button v-if="isRunning" variant="link" @click="stop">Stop</Button>
  </div>
  <p v-if="failure" class="error" role="alert">{{ failure }}</p>
  <section v-if="run" aria-label="Dry run" class="run">
    <ProgressBar
      v-if="isRunning"
      :value="Math.round((run.done / run.of) * 100)"
      aria-label="Checks of the dry run"
    />
    <p v-if="run.state === 'failed'" class="error" role="alert">{{ run.problem }}</p>
    <p v-if="run.state === 'stopped'">
      You stopped it after {{ count(run.done) }} of {{ count(run.of) }} checks.
    </p>
    <p>
      {{ summary }}
      <span class="quiet"
        >From {{ moment(run.from, session.desk.zone) }}. Each check uses only what was booked by then.</span
      >
    </p>
    <p v-if="run.approximateUntil" class="quiet">
      Approximate until {{ moment(run.approximateUntil, session.desk.zone) }}: before that, Tracheon does not
      know when conversions were booked.
    </p>
    <DryRunChart v-if="run.count > 0" :run="run" />
    <ListTable
      v-if="run.count > 0"
      :rows="run.firings.map((f, i) => ({ ...f, id: `${i}` }))"
      state="ready"
      failure=""
      label="Found in the past"
      name="dry-run"
      :columns="[
        { key: 'at', label: 'Found', sort: (f) => f.at },
        { key: 'name', label: 'What', sort: (f) => f.name.toLowerCase() },
        { key: 'seen', label: 'Figures' },
        { key: 'step', label: 'Done', sort: (f) => f.step },
        {
          key: 'later',
          label: 'Profit after that',
          sort: (f) => Number(f.laterProfitMicros ?? 0),
        },
      ]"
    >
      <template #empty><StateBlock state="empty" title="Nothing found" /></template>
      <template #at="{ row }">{{ moment(row.at, session.desk.zone) }}</template>
      <template #name="{ row }">{{ row.name }}</template>
      <template #seen="{ row }">{{ row.seen.map((s) => seenWords(s, names)).join(', ') }}</template>
      <template #step="{ row }"><span :title="row.why">{{ stepWords[row.step] }}</span></template>
      <template #later="{ row }"><SignedMoney :micros="row.laterProfitMicros" /></template>
    </ListTable>
  </section>
</template>
<style scoped>
.days {
  width: auto;
}
.run {
  display: grid;
  gap: 8px;
}
.run p {
  margin: 0;
}
</style>
