<script setup lang="ts">
/** Conversions out of a file: choose it, say what its columns mean, see what each row would do, import it. */
import Button from 'primevue/button';
import type { ImportTrial } from '@tracheon/core/contract';
import { ref, watch } from 'vue';
import { ask } from '../../app/api.ts';
import FileMapping from '../../shared/fileMapping/FileMapping.vue';
import { useFileDraft } from '../../shared/fileMapping/useFileDraft.ts';
import { download } from '../../ui/download.ts';
import { count } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import StatusMark from '../../ui/StatusMark.vue';
import ConversionsNav from './ConversionsNav.vue';
import { listWord } from './filters.ts';
import BatchRuns from './repair/BatchRuns.vue';

const file = useFileDraft();
const { draft, settings, problems, busy, during } = file;
const trial = ref<ImportTrial | null>(null);
const runs = ref<InstanceType<typeof BatchRuns> | null>(null);
watch([settings, draft], () => (trial.value = null));
const tryIt = (): Promise<void> =>
  during('Trying the first rows …', async () => {
    trial.value = await ask('tryImport', { id: draft.value!.id, body: { ...settings } });
  });
const start = (): Promise<void> =>
  during('Starting …', async () => {
    await ask('runImport', { id: draft.value!.id, body: { ...settings } });
    file.leave();
    await runs.value?.load();
  });
const words = (outcome: string): string => (outcome === 'known' ? 'imported before' : listWord(outcome));
async function failed(id: string): Promise<void> {
  await during('Collecting rows …', async () => {
    const { header, rows } = await ask('failedRows', { id });
    const { failedCsv } = await import('./failedCsv.ts');
    download('rows-not-booked.csv', 'text/csv', failedCsv(header, rows));
  });
}
</script>
<template>
  <PageHead
    title="Import conversions"
    says="Book conversions from a file of your network, or update their status. Importing the same file twice changes nothing."
  />
  <ConversionsNav class="nav" />
  <section class="sheet pad stack" aria-label="File">
    <FileMapping :file="file" />
    <template v-if="draft">
      <div class="row">
        <Button severity="secondary" :disabled="problems.length > 0 || busy !== ''" @click="tryIt"
          >Preview</Button
        >
        <Button :disabled="problems.length > 0 || busy !== ''" @click="start"
          >Import {{ count(draft.total) }} rows</Button
        >
      </div>
      <section v-if="trial" aria-label="Preview">
        <p>
          <strong
            >The first {{ count(trial.tried) }} rows:
            {{ trial.outcomes.map((o) => `${count(o.count)} ${words(o.outcome)}`).join(', ') }}.</strong
          >
          Nothing is booked yet.
        </p>
        <ListTable
          :rows="trial.rows.map((r) => ({ ...r, id: String(r.n) }))"
          label="Preview"
          :columns="[
            { key: 'n', label: 'Row', num: true },
            { key: 'outcome', label: 'Result' },
            { key: 'sentence', label: 'Why' },
          ]"
        >
          <template #n="{ row }">{{ row.n }}</template>
          <template #outcome="{ row }"
            ><StatusMark v-if="row.outcome !== 'known'" :word="row.outcome" /><span v-else class="quiet"
              >imported before</span
            ></template
          >
          <template #sentence="{ row }">{{ row.sentence }}</template>
        </ListTable>
      </section>
    </template>
    <StateBlock
      v-else-if="busy === ''"
      state="empty"
      title="Choose a file to start"
      words="Each row needs our click ID, or the transaction of a conversion that Tracheon knows. Example columns: click_id, payout, currency, transaction, status, date."
    >
      <p>
        You move from another tracker?
        <RouterLink to="/conversions/carry-over">Carry over its click IDs</RouterLink>, so that late
        conversions find their campaign.
      </p>
    </StateBlock>
  </section>
  <BatchRuns ref="runs" class="runs" title="Latest imports" :kinds="['file']" @failed="failed" />
</template>
<style scoped src="./lists.css"></style>
<style scoped>
.nav,
.runs {
  margin: 10px 0;
}
p {
  margin: 0;
}
</style>
