<script setup lang="ts">
/** A cost file of a source: choose it, say what its columns mean, see what it would do, load it. */
import Button from 'primevue/button';
import { useToast } from 'primevue/usetoast';
import {
  costColumns,
  costFileSettings,
  type CostFileDraft,
  type CostFileTrial,
  type CostTarget,
} from '@tracheon/core/contract';
import { computed, reactive, ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import { useRouterHere } from '../../shared/useRouterHere.ts';
import { ask, uploadFile } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import DateOrderField from '../../shared/fileMapping/DateOrderField.vue';
import FileColumns from '../../shared/fileMapping/FileColumns.vue';
import { subsOf } from '@tracheon/core/parts';
import AmountInput from '../../ui/AmountInput.vue';
import FileButton from '../../ui/FileButton.vue';
import { count, moment, money } from '../../ui/format.ts';
import FormField from '../../ui/FormField.vue';
import ListTable from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import PickOne from '../../ui/PickOne.vue';
import StateBlock from '../../ui/StateBlock.vue';
import ZoneField from '../../ui/ZoneField.vue';
import { daysWords, sumWords } from './costWords.ts';
import MoneyNav from './MoneyNav.vue';

const parts = useParts();
const session = useSession();
const route = useRoute();
const router = useRouterHere();
const toast = useToast();
const sourceId = ref('');
const draft = ref<CostFileDraft | null>(null);
const trial = ref<CostFileTrial | null>(null);
const busy = ref('');
const failure = ref('');
const settings = reactive<CostFileDraft['settings']>({
  targets: [],
  decimalMark: '',
  dates: 'ymd',
  zone: '',
  campaignId: '',
  statedMicros: '',
});
const sources = computed(() => parts.of('source').map((s) => ({ value: s.id, label: s.body.name })));
watch(
  sources,
  (all) => {
    if (sourceId.value === '' && all.length === 1) sourceId.value = all[0]!.value;
  },
  { immediate: true },
);
const source = computed(() => parts.one('source', sourceId.value)?.body);
const columnLabels: Record<(typeof costColumns)[number], string> = {
  day: 'Day',
  first_day: 'First day',
  last_day: 'Last day',
  campaign: 'Campaign (its name or key)',
  account: 'Account',
  amount: 'Amount',
  currency: 'Currency',
};
const targetOptions = computed(() => [
  { value: '' as CostTarget, label: 'not used' },
  ...costColumns.map((c) => ({ value: c as CostTarget, label: columnLabels[c] })),
  ...(source.value ? subsOf(source.value) : []).map((s) => ({
    value: `sub_${s}` as CostTarget,
    label: `Sub-ID: ${s}`,
  })),
]);
const campaigns = computed(() => [
  { value: '', label: 'as the file says, else all' },
  ...parts
    .of('campaign', true)
    .filter((c) => c.body.sourceId === sourceId.value)
    .map((c) => ({ value: c.id, label: c.body.name })),
]);
const problems = computed(() => costFileSettings.safeParse(settings).error?.issues ?? []);
const problem = computed(() => problems.value.find((p) => p.path.length === 1)?.message ?? '');
watch(settings, () => (trial.value = null));

async function during(what: string, work: () => Promise<void>): Promise<void> {
  if (busy.value !== '') return;
  busy.value = what;
  failure.value = '';
  try {
    await work();
  } catch (error) {
    failure.value = (error as Error).message;
  } finally {
    busy.value = '';
  }
}
function take(next: CostFileDraft): void {
  draft.value = next;
  sourceId.value = next.sourceId;
  Object.assign(settings, next.settings);
  trial.value = null;
}
const choose = (file: File): Promise<void> =>
  during('Reading the file …', async () => {
    take(await uploadFile('uploadCostFile', { name: file.name, source: sourceId.value }, file));
    router.replace({ query: { draft: draft.value!.id } });
  });
const begun = String(route.query.draft ?? '');
if (begun !== '') void ask('costFileDraft', { id: begun }).then(take, () => router.replace({ query: {} }));
const body = () => costFileSettings.parse({ ...settings });
const preview = (): Promise<void> =>
  during('Reading all rows …', async () => {
    trial.value = await ask('tryCostFile', { id: draft.value!.id, body: body() });
  });
const load = (): Promise<void> =>
  during('Loading …', async () => {
    const made = await ask('loadCostFile', { id: draft.value!.id, body: body() });
    toast.add({
      severity: 'secondary',
      summary: 'Cost file loaded',
      detail:
        made.entries === 1
          ? 'Tracheon spreads the entry over the visits.'
          : `Tracheon spreads the ${count(made.entries)} entries over the visits.`,
      life: 5000,
    });
    router.push('/money/cost');
  });
const discard = (): Promise<void> =>
  during('Discarding …', async () => {
    await ask('dropCostFile', { id: draft.value!.id });
    draft.value = null;
    router.replace({ query: {} });
  });
const differs = computed(() => trial.value?.stated?.agrees === false);
const canLoad = computed(() => trial.value !== null && trial.value.entries > 0 && busy.value === '');
const currency = computed(() => source.value?.costCurrency ?? '');
</script>
<template>
  <PageHead
    title="Load cost file"
    says="Load what a source billed, by day and any sub-ID. Loading the same file twice changes nothing."
  />
  <MoneyNav class="bar" />
  <section class="sheet pad stack" aria-label="File">
    <div class="fields">
      <FormField
        v-slot="{ id }"
        label="Source"
        hint="Tracheon keeps the mapping of the columns for each source."
      >
        <PickOne
          :id="id"
          v-model="sourceId"
          :options="sources"
          placeholder="Choose the source"
          :disabled="draft !== null"
        />
      </FormField>
      <div class="file">
        <FileButton
          v-if="session.canEdit"
          accept=".csv,.tsv,.txt,.xlsx"
          :label="draft ? 'Choose another file' : 'Choose file'"
          :disabled="sourceId === '' || busy !== ''"
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
        <template v-if="draft.loadedBefore"
          >This file was loaded {{ moment(draft.loadedBefore.at, session.desk.zone) }} by
          {{ draft.loadedBefore.by || 'a former member' }}.</template
        >
      </p>
      <FileColumns
        v-model="settings.targets as CostTarget[]"
        :draft="draft"
        :options="targetOptions"
        :problems="problems"
      />
      <div class="fields">
        <FormField v-slot="{ id }" label="Decimal mark">
          <PickOne
            :id="id"
            v-model="settings.decimalMark"
            :options="[
              { value: '', label: 'as each amount shows' },
              { value: '.', label: 'point: 1.50' },
              { value: ',', label: 'comma: 1,50' },
            ]"
          />
        </FormField>
        <DateOrderField v-model="settings.dates" />
        <FormField v-slot="{ id }" label="Time zone of the days">
          <ZoneField :id="id" v-model="settings.zone" empty-label="as set at the source" />
        </FormField>
        <FormField v-slot="{ id }" label="Campaign of all rows">
          <PickOne :id="id" v-model="settings.campaignId" :options="campaigns" />
        </FormField>
        <FormField
          v-slot="{ id, described }"
          :label="`Total that the source states, in ${currency} (optional)`"
          hint="Tracheon compares it with the sum of the rows."
        >
          <AmountInput :id="id" v-model="settings.statedMicros" :describedby="described" />
        </FormField>
      </div>
      <p v-if="problem" class="error">{{ problem }}</p>
      <div class="row">
        <Button
          :severity="trial ? 'secondary' : undefined"
          :disabled="problems.length > 0 || busy !== ''"
          @click="preview"
          >Preview</Button
        >
        <Button v-if="trial" :disabled="!canLoad" @click="load">{{
          `Load ${trial.entries === 1 ? '1 entry' : `${count(trial.entries)} entries`}${differs ? ' anyway' : ''}`
        }}</Button>
        <Button variant="link" :disabled="busy !== ''" @click="discard">Discard file</Button>
      </div>
      <section v-if="trial" class="stack" aria-label="Preview">
        <p>
          <strong>{{ count(trial.entries) }} {{ trial.entries === 1 ? 'entry' : 'entries' }}</strong
          ><template v-if="trial.entries > 0"> for {{ daysWords(trial) }}</template>. All rows add up to
          {{ sumWords(trial) }}.
          <template v-if="trial.same > 0"
            >{{ count(trial.same) }} {{ trial.same === 1 ? 'row is' : 'rows are' }} loaded already.</template
          >
          <template v-if="trial.repeated > 0"
            >{{ count(trial.repeated) }} {{ trial.repeated === 1 ? 'row repeats' : 'rows repeat' }} the day
            and values of another row: the last one counts.</template
          >
        </p>
        <p v-if="trial.stated?.agrees">
          The stated total of {{ money(trial.stated.amountMicros) }} {{ currency }} agrees.
        </p>
        <p v-else-if="trial.stated" class="error" role="alert">
          The source states a total of {{ money(trial.stated.amountMicros) }} {{ currency }}, but the rows add
          up to another amount. Check the decimal mark and the rows below.
        </p>
        <template v-if="trial.unreadable > 0">
          <p>
            {{ trial.unreadable === 1 ? '1 row' : `${count(trial.unreadable)} rows` }} can’t be read. Tracheon
            leaves {{ trial.unreadable === 1 ? 'it' : 'them' }} out.
          </p>
          <ListTable
            :rows="trial.problems.map((p) => ({ ...p, id: String(p.n) }))"
            label="Rows that can’t be read"
            :columns="[
              { key: 'n', label: 'Row', num: true },
              { key: 'why', label: 'Why' },
            ]"
          >
            <template #n="{ row }">{{ row.n }}</template>
            <template #why="{ row }">{{ row.why }}</template>
          </ListTable>
        </template>
      </section>
    </template>
    <StateBlock
      v-else-if="busy === ''"
      state="empty"
      title="Choose a file to start"
      words="Each row needs a day and an amount. Example columns: date, campaign, site, cost."
    />
  </section>
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
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
</style>
