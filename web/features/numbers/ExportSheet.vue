<script setup lang="ts">
/** All rows of the table as a file, with every figure; it says how far it is and can be stopped. */
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import type { NumbersAsked } from '@tracheon/core/contract';
import { computed, onBeforeUnmount, ref } from 'vue';
import { download } from '../../ui/download.ts';
import { count } from '../../ui/format.ts';
import SegmentChoice from '../../ui/SegmentChoice.vue';
import SideSheet from '../../ui/SideSheet.vue';
import { groupingLabel } from './groupingWords.ts';
import type { MoreFigure } from './moreFigures.ts';

const props = defineProps<{
  asked: Omit<NumbersAsked, 'offset' | 'limit' | 'sort' | 'isDescending'>;
  more: readonly MoreFigure[];
}>();
const open = defineModel<boolean>('open', { required: true });
const format = ref<'csv' | 'json'>('csv');
const read = ref(0);
const of = ref(0);
const running = ref<AbortController | null>(null);
const failure = ref('');
const done = ref('');
const share = computed(() => (of.value === 0 ? 0 : Math.round((read.value / of.value) * 100)));
async function start(): Promise<void> {
  const stop = new AbortController();
  running.value = stop;
  [read.value, of.value, failure.value, done.value] = [0, 0, '', ''];
  try {
    const { asCsv, asJson, readAll } = await import('./exportNumbers.ts');
    const found = await readAll(props.asked, stop.signal, (n, all) => ([read.value, of.value] = [n, all]));
    const { by, from, to } = props.asked;
    const name = `numbers-${from}-${to}.${format.value}`;
    if (format.value === 'csv') download(name, 'text/csv', asCsv(by, found, props.more));
    else download(name, 'application/json', asJson(by, found, props.more));
    done.value = `${count(found.rows.length)} rows saved as ${name}.`;
  } catch (error) {
    failure.value = stop.signal.aborted ? 'Stopped. Nothing was saved.' : (error as Error).message;
  } finally {
    running.value = null;
  }
}
onBeforeUnmount(() => running.value?.abort());
</script>
<template>
  <SideSheet
    v-model:open="open"
    title="Export all rows"
    says="One row for each combination of the levels, with every figure. The period and the filters are those of the table."
  >
    <div class="stack">
      <p>Levels: {{ asked.by.map(groupingLabel).join(' › ') }}</p>
      <SegmentChoice
        v-model="format"
        label="Format"
        :options="[
          { value: 'csv', label: 'CSV' },
          { value: 'json', label: 'JSON' },
        ]"
        :disabled="running !== null"
      />
      <template v-if="running">
        <ProgressBar :value="share" aria-label="Progress of the export" />
        <p>{{ count(read) }} of {{ of === 0 ? '…' : count(of) }} rows</p>
        <Button severity="secondary" @click="running.abort()">Stop export</Button>
      </template>
      <Button v-else @click="start">Export rows</Button>
      <p v-if="done" role="status">{{ done }}</p>
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    </div>
  </SideSheet>
</template>
