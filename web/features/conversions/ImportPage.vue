<script setup lang="ts">
/** Conversions out of a file: choose it, say what its columns mean, see what each row would do, import it. */
import Button from 'primevue/button';
import type { ColumnTarget, ImportDraft, ImportSettings, ImportTrial } from '@tracheon/core/contract';
import { importSettings, postbackFields } from '@tracheon/core/contract';
import { postbackFieldLabels } from '@tracheon/core/conversions';
import { computed, onBeforeUnmount, reactive, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { ApiError, ask, uploadFile } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { download } from '../../ui/download.ts';
import FileButton from '../../ui/FileButton.vue';
import { count } from '../../ui/format.ts';
import FormField from '../../ui/FormField.vue';
import ListTable from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import PickOne from '../../ui/PickOne.vue';
import StateBlock from '../../ui/StateBlock.vue';
import StatusMark from '../../ui/StatusMark.vue';
import ZoneField from '../../ui/ZoneField.vue';
import ConversionsNav from './ConversionsNav.vue';
import { listWord } from './filters.ts';
import BatchRuns from './repair/BatchRuns.vue';

/** A pause in typing. */
const KEEP_AFTER_MS = 600;
const parts = useParts();
const session = useSession();
const route = useRoute();
const router = useRouter();
const networkId = ref('');
const draft = ref<ImportDraft | null>(null);
const trial = ref<ImportTrial | null>(null);
const failure = ref('');
const busy = ref('');
const settings = reactive<ImportSettings>({
  networkId: '',
  targets: [],
  decimalMark: '',
  zone: '',
  dates: 'ymd',
});
const runs = ref<InstanceType<typeof BatchRuns> | null>(null);
const networks = computed(() => parts.of('network').map((n) => ({ value: n.id, label: n.body.name })));
watch(
  networks,
  (all) => {
    if (networkId.value === '' && all.length === 1) networkId.value = all[0]!.value;
  },
  { immediate: true },
);
function take(next: ImportDraft): void {
  draft.value = next;
  trial.value = null;
  Object.assign(settings, { ...next.settings, networkId: next.settings.networkId || networkId.value });
  networkId.value = settings.networkId;
}
/** What takes a while: one at a time, with what went wrong. */
async function during(what: string, work: () => Promise<void>): Promise<void> {
  if (busy.value !== '') return;
  busy.value = what;
  failure.value = '';
  try {
    await work();
  } catch (error) {
    failure.value =
      error instanceof ApiError && error.fields[0] ? error.fields[0].message : (error as Error).message;
  } finally {
    busy.value = '';
  }
}
const choose = (file: File): Promise<void> =>
  during('Reading the file …', async () => {
    take(await uploadFile('uploadImport', { name: file.name, network: networkId.value }, file));
    void router.replace({ query: { draft: draft.value!.id } });
  });
// A reload goes on with the file that was uploaded.
const begun = String(route.query.draft ?? '');
if (begun !== '')
  void ask('importDraft', { id: begun }).then(
    (found) => found.state === 'draft' && take(found),
    () => void router.replace({ query: {} }),
  );

const targetOptions = computed(() => [
  { value: '' as ColumnTarget, label: 'not used' },
  ...postbackFields.map((f) => ({ value: f as ColumnTarget, label: postbackFieldLabels[f] })),
  ...(parts.one('network', networkId.value)?.body.extras ?? []).map((x) => ({
    value: `x_${x.name}` as ColumnTarget,
    label: `Extra: ${x.name}`,
  })),
]);
const problems = computed(() => importSettings.safeParse(settings).error?.issues ?? []);
const problemAt = (i: number): string | undefined =>
  problems.value.find((p) => p.path[0] === 'targets' && p.path[1] === i)?.message;
const problem = computed(() => problems.value.find((p) => p.path.length === 1)?.message ?? '');
const columns = computed(() =>
  (draft.value?.header ?? []).map((name, i) => ({
    id: String(i),
    i,
    name,
    samples: [...new Set(draft.value!.rows.map((r) => r[i] ?? '').filter((v) => v !== ''))].slice(0, 3),
  })),
);
const tryIt = (): Promise<void> =>
  during('Trying the first rows …', async () => {
    trial.value = await ask('tryImport', { id: draft.value!.id, body: { ...settings } });
  });
const start = (): Promise<void> =>
  during('Starting …', async () => {
    await ask('runImport', { id: draft.value!.id, body: { ...settings } });
    clearTimeout(timer);
    draft.value = null;
    trial.value = null;
    void router.replace({ query: {} });
    await runs.value?.load();
  });
/** Kept at each pause, so that a reload goes on with it. */
let timer: ReturnType<typeof setTimeout> | undefined;
watch(settings, () => {
  trial.value = null;
  clearTimeout(timer);
  const id = draft.value?.id;
  if (!id || problems.value.length > 0) return;
  timer = setTimeout(
    () =>
      void ask('mapImport', { id, body: { ...settings } }).catch(
        (error: unknown) => (failure.value = `Mapping not saved: ${(error as Error).message}`),
      ),
    KEEP_AFTER_MS,
  );
});
onBeforeUnmount(() => clearTimeout(timer));
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
    <div class="fields">
      <FormField
        v-slot="{ id }"
        label="Network"
        hint="Tracheon reads status and event words as set at this network."
      >
        <PickOne
          :id="id"
          v-model="networkId"
          :options="networks"
          placeholder="Choose the network"
          @change="settings.networkId = networkId"
        />
      </FormField>
      <div class="file">
        <FileButton
          v-if="session.canEdit"
          accept=".csv,.tsv,.txt,.xlsx"
          :label="draft ? 'Choose another file' : 'Choose file'"
          :disabled="networkId === '' || busy !== ''"
          @pick="choose"
        />
        <span class="quiet">CSV or XLSX. The first row names the columns.</span>
      </div>
    </div>
    <p v-if="busy" role="status">{{ busy }}</p>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <template v-if="draft">
      <p>
        <strong>{{ draft.fileName }}</strong> · {{ count(draft.total) }} rows.
        <template v-if="draft.isRemembered">Tracheon uses your last mapping for these columns.</template>
      </p>
      <ListTable
        :rows="columns"
        label="Columns"
        :columns="[
          { key: 'name', label: 'Column' },
          { key: 'samples', label: 'Examples' },
          { key: 'target', label: 'Meaning' },
        ]"
      >
        <template #name="{ row }"
          ><strong>{{ row.name || `Column ${row.i + 1}` }}</strong></template
        >
        <template #samples="{ row }"
          ><code class="clip">{{ row.samples.join(' · ') || '–' }}</code></template
        >
        <template #target="{ row }"
          ><PickOne
            v-model="settings.targets[row.i]"
            :aria-label="`Meaning of ${row.name || `column ${row.i + 1}`}`"
            :options="targetOptions"
            :invalid="problemAt(row.i) !== undefined"
          />
          <p v-if="problemAt(row.i)" class="error small">{{ problemAt(row.i) }}</p></template
        >
      </ListTable>
      <div class="fields">
        <FormField v-slot="{ id }" label="Decimal mark">
          <PickOne
            :id="id"
            v-model="settings.decimalMark"
            :options="[
              { value: '', label: 'as set at the network' },
              { value: '.', label: 'point: 1.50' },
              { value: ',', label: 'comma: 1,50' },
            ]"
          />
        </FormField>
        <FormField v-slot="{ id }" label="Dates">
          <PickOne
            :id="id"
            v-model="settings.dates"
            :options="[
              { value: 'ymd', label: '2026-11-24' },
              { value: 'dmy', label: '24.11.2026 or 24/11/2026' },
              { value: 'mdy', label: '11/24/2026' },
            ]"
          />
        </FormField>
        <FormField v-slot="{ id }" label="Time zone" hint="For times without an offset.">
          <ZoneField :id="id" v-model="settings.zone" empty-label="as set at the network" />
        </FormField>
      </div>
      <p v-if="problem" class="error">{{ problem }}</p>
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
    />
  </section>
  <BatchRuns ref="runs" class="runs" title="Latest imports" :kinds="['file']" @failed="failed" />
</template>
<style scoped src="./lists.css"></style>
<style scoped>
.nav,
.runs {
  margin: 10px 0;
}
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(220px, 100%), 1fr));
  gap: 2px 14px;
  align-items: start;
}
.file {
  display: grid;
  gap: 4px;
  justify-items: start;
  align-self: center;
}
p {
  margin: 0;
}
.small {
  font-size: 12px;
}
</style>
