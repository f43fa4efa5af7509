<script setup lang="ts">
/** All rows of the table as a file, with every figure; it says how far it is and can be stopped. */
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import type { NumbersAsked } from '@tracheon/core/contract';
import { computed, onBeforeUnmount, ref } from 'vue';
import { download } from '../../ui/download.ts';
import { count, counted } from '../../ui/format.ts';
import SegmentChoice from '../../ui/SegmentChoice.vue';
import SideSheet from '../../ui/SideSheet.vue';
import type { Exported } from './exportNumbers.ts';
import { groupingLabel } from './groupingWords.ts';
import type { MoreFigure } from './moreFigures.ts';

const props = defineProps<{
  asked: Omit<NumbersAsked, 'offset' | 'limit' | 'sort' | 'isDescending'>;
  more: readonly MoreFigure[];
}>();
const open = defineModel<boolean>('open', { required: true });
type Format = 'csv' | 'xlsx' | 'json' | 'parquet';
const formats: { value: Format; label: string; type: string }[] = [
  { value: 'csv', label: 'CSV', type: 'text/csv' },
  {
    value: 'xlsx',
    label: 'XLSX',
    type: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  },
  { value: 'json', label: 'JSON', type: 'application/json' },
  { value: 'parquet', label: 'Parquet', type: 'application/vnd.apache.parquet' },
];
const format = ref<Format>('csv');
async function written(by: readonly string[], found: Exported): Promise<BlobPart> {
  const { asCsv, asJson } = await import('./exportNumbers.ts');
  if (format.value === 'csv') return asCsv(by, found, props.more);
  if (format.value === 'json') return asJson(by, found, props.more);
  const { asParquet, asXlsx } = await import('./exportFiles.ts');
  return (format.value === 'xlsx' ? asXlsx : asParquet)(by, found, props.more);
}
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
    const { readAll } = await import('./exportNumbers.ts');
    const found = await readAll(props.asked, stop.signal, (n, all) => ([read.value, of.value] = [n, all]));
    const { by, from, to } = props.asked;
    const name = `numbers-${from}-${to}.${format.value}`;
    const { type } = formats.find((f) => f.value === format.value)!;
    download(name, type, await written(by, found));
    done.value = `${counted(found.rows.length, 'row')} saved as ${name}.`;
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
      <SegmentChoice v-model="format" label="Format" :options="formats" :disabled="running !== null" />
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
