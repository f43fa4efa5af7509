<script setup lang="ts">
/** Click IDs of an earlier tracker out of a file: choose it, say what its columns mean, see what can't be carried over, start. */
import { subsOf } from '@tracheon/core/parts';
import Button from 'primevue/button';
import {
  carriedFields,
  carriedSettings,
  type CarriedField,
  type CarriedSettings,
  type CarriedTarget,
  type CarriedTrial,
  type ImportDraft,
} from '@tracheon/core/contract';
import { guessCarriedTargets } from '@tracheon/core/conversions';
import { guessDates } from '@tracheon/core/time';
import { computed, reactive, ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import { useRouterHere } from '../../shared/useRouterHere.ts';
import { ApiError, ask, uploadFile } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import DateOrderField from '../../shared/fileMapping/DateOrderField.vue';
import FileColumns from '../../shared/fileMapping/FileColumns.vue';
import { download } from '../../ui/download.ts';
import FileButton from '../../ui/FileButton.vue';
import { count } from '../../ui/format.ts';
import FormField from '../../ui/FormField.vue';
import ListTable from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import PickOne from '../../ui/PickOne.vue';
import StateBlock from '../../ui/StateBlock.vue';
import ZoneField from '../../ui/ZoneField.vue';
import ConversionsNav from './ConversionsNav.vue';
import BatchRuns from './repair/BatchRuns.vue';

const parts = useParts();
const session = useSession();
const route = useRoute();
const router = useRouterHere();
const draft = ref<ImportDraft | null>(null);
const trial = ref<CarriedTrial | null>(null);
const busy = ref('');
const failure = ref('');
const runs = ref<InstanceType<typeof BatchRuns> | null>(null);
const settings = reactive<CarriedSettings>({ targets: [], campaignId: '', zone: '', dates: 'ymd' });
const problems = computed(() => carriedSettings.safeParse(settings).error?.issues ?? []);
watch(settings, () => (trial.value = null));

const subs = computed(() => [...new Set(parts.of('source').flatMap((s) => subsOf(s.body)))]);
const words: Record<CarriedField, string> = {
  click_id: 'Click ID of the earlier tracker',
  visit_time: 'Time of the visit',
  campaign: 'Campaign',
  offer: 'Offer',
  source_click_id: 'Source click ID',
  country: 'Country',
};
const meanings = computed(() => [
  { value: '' as CarriedTarget, label: 'not used' },
  ...carriedFields.map((f) => ({ value: f as CarriedTarget, label: words[f] })),
  ...subs.value.map((s) => ({ value: `sub_${s}` as CarriedTarget, label: `Sub-ID: ${s}` })),
]);
const campaigns = computed(() => [
  { value: '', label: 'as named in each row' },
  ...parts.of('campaign').map((c) => ({ value: c.id, label: c.body.name })),
]);
const lacks = computed(() => problems.value.filter((p) => p.path.length === 1).map((p) => p.message));

/** One at a time, with what went wrong. */
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
function take(next: ImportDraft): void {
  draft.value = next;
  Object.assign(settings, {
    targets: guessCarriedTargets(next.header, subs.value),
    dates: guessDates(next.rows.flat()) ?? 'ymd',
    zone: session.desk.zone,
  });
}
const choose = (file: File): Promise<void> =>
  during('Reading the file …', async () => {
    take(await uploadFile('uploadImport', { name: file.name, network: '' }, file));
    router.replace({ query: { draft: draft.value!.id } });
  });
const begun = String(route.query.draft ?? '');
if (begun !== '')
  void ask('importDraft', { id: begun }).then(
    (found) => found.state === 'draft' && take(found),
    () => router.replace({ query: {} }),
  );
/** The preview shows only the first of them. */
const refused = computed(() => (trial.value ? trial.value.tried - trial.value.ready - trial.value.known : 0));
const tryIt = (): Promise<void> =>
  during('Trying the first rows …', async () => {
    trial.value = await ask('tryCarryOver', { id: draft.value!.id, body: { ...settings } });
  });
const start = (): Promise<void> =>
  during('Starting …', async () => {
    await ask('carryOver', { id: draft.value!.id, body: { ...settings } });
    draft.value = null;
    router.replace({ query: {} });
    await runs.value?.load();
  });
async function failed(id: string): Promise<void> {
  await during('Collecting rows …', async () => {
    const { header, rows } = await ask('notCarried', { id });
    if (rows.length === 0)
      throw new Error('No row failed: an earlier file has carried over the same click IDs.');
    const { failedCsv } = await import('./failedCsv.ts');
    download('rows-not-carried-over.csv', 'text/csv', failedCsv(header, rows));
  });
}
</script>
<template>
  <PageHead
    title="Carry over click IDs"
    says="Import the click IDs of your earlier tracker, so that conversions that arrive late still find their campaign."
  />
  <ConversionsNav class="nav" />
  <section class="sheet pad stack" aria-label="File">
    <div class="row">
      <FileButton
        v-if="session.canEdit"
        accept=".csv,.tsv,.txt,.xlsx"
        :label="draft ? 'Choose another file' : 'Choose file'"
        :disabled="busy !== ''"
        @pick="choose"
      />
      <span class="quiet">CSV or XLSX. The first row names the columns.</span>
    </div>
    <p v-if="busy" role="status">{{ busy }}</p>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <template v-if="draft">
      <p><strong>{{ draft.fileName }}</strong> · {{ count(draft.total) }} rows.</p>
      <FileColumns v-model="settings.targets" :draft="draft" :options="meanings" :problems="problems" />
      <div class="fields">
        <FormField v-slot="{ id }" label="Campaign" hint="For rows that name none.">
          <PickOne :id="id" v-model="settings.campaignId" :options="campaigns" />
        </FormField>
        <DateOrderField v-model="settings.dates" />
        <FormField v-slot="{ id }" label="Time zone" hint="For times without an offset.">
          <ZoneField :id="id" v-model="settings.zone" empty-label="UTC" />
        </FormField>
      </div>
      <p v-for="lack in lacks" :key="lack" class="error">{{ lack }}</p>
      <div class="row">
        <Button severity="secondary" :disabled="problems.length > 0 || busy !== ''" @click="tryIt"
          >Preview</Button
        >
        <Button :disabled="problems.length > 0 || busy !== ''" @click="start"
          >Carry over {{ count(draft.total) }} click IDs</Button
        >
      </div>
      <section v-if="trial" aria-label="Preview">
        <p>
          <strong
            >The first {{ count(trial.tried) }} rows: {{ count(trial.ready) }} can be carried over<template
              v-if="trial.known"
              >, {{ count(trial.known) }} are there already</template
            ><template v-if="refused > 0">, {{ count(refused) }} can’t</template>.</strong
          >
          Nothing is saved yet.
        </p>
        <ListTable
          v-if="trial.problems.length > 0"
          :rows="trial.problems.map((r) => ({ ...r, id: String(r.n) }))"
          label="Rows that can’t be carried over"
          :columns="[
            { key: 'n', label: 'Row', num: true },
            { key: 'why', label: 'Why' },
          ]"
        >
          <template #n="{ row }">{{ row.n }}</template>
          <template #why="{ row }">{{ row.why }}</template>
        </ListTable>
      </section>
    </template>
    <StateBlock
      v-else-if="busy === ''"
      state="empty"
      title="Choose a file to start"
      words="Each row needs a click ID of the earlier tracker, the time of the visit, and a campaign of this desk. Example columns: click_id, time, campaign, offer, site. Carried click IDs count as no visits; their conversions are flagged."
    />
  </section>
  <BatchRuns
    ref="runs"
    class="runs"
    title="Latest files of click IDs"
    :kinds="['carried']"
    @failed="failed"
  />
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
p {
  margin: 0;
}
</style>
