<script setup lang="ts">
/** Exchange rates: by hand, from a file, from the European Central Bank; and amounts that wait for one. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import ToggleSwitch from 'primevue/toggleswitch';
import { rateInput, type RateRow, type RateSchedule, type RatesLoaded } from '@tracheon/core/contract';
import { localDay } from '@tracheon/core/time';
import { computed, onMounted, ref } from 'vue';
import { ask, uploadFile, type ApiError } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import DayField from '../../ui/DayField.vue';
import FileButton from '../../ui/FileButton.vue';
import { count, dayRange, moment } from '../../ui/format.ts';
import FormField from '../../ui/FormField.vue';
import ListTable from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import MoneyNav from './MoneyNav.vue';
import UnconvertedAmounts from './UnconvertedAmounts.vue';

const session = useSession();
const rows = ref<RateRow[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const input = ref({ base: '', day: localDay(Date.now(), session.desk.zone), rate: '' });
const errors = ref<Record<string, string>>({});
const done = ref('');
const busy = ref('');
const wrong = ref('');
const problems = ref<RatesLoaded['problems']>([]);
const waiting = ref<InstanceType<typeof UnconvertedAmounts> | null>(null);
const search = ref('');

const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('listRates'),
    (all) => {
      rows.value = all;
      state.value = 'ready';
    },
    (why) => {
      failure.value = why;
      state.value = 'failed';
    },
  );
/** null: not known yet. */
const daily = ref<RateSchedule | null>(null);
onMounted(async () => {
  await load();
  await ask('rateSchedule').then(
    (schedule) => (daily.value = schedule),
    (error: Error) => (wrong.value = error.message),
  );
});
async function setDaily(isOn: boolean): Promise<void> {
  await during('Saving …', async () => {
    daily.value = await ask('scheduleRates', { body: { isOn } });
  });
}
const convertedWords = (n: number): string =>
  n === 0
    ? ''
    : ` Tracheon converted ${n === 1 ? '1 conversion that was' : `${count(n)} conversions that were`} waiting.`;
async function during(what: string, work: () => Promise<void>): Promise<void> {
  if (busy.value !== '') return;
  [busy.value, done.value, wrong.value, problems.value] = [what, '', '', []];
  try {
    await work();
    await load();
    waiting.value?.load();
  } catch (error) {
    const { fields = [], message } = error as ApiError;
    if (fields.length > 0) errors.value = Object.fromEntries(fields.map((f) => [f.path, f.message]));
    else wrong.value = message;
  } finally {
    busy.value = '';
  }
}
function add(): Promise<void> | void {
  const parsed = rateInput.safeParse(input.value);
  errors.value = parsed.success
    ? {}
    : Object.fromEntries(parsed.error.issues.map((i) => [i.path.join('.'), i.message]));
  if (!parsed.success) return;
  return during('Saving …', async () => {
    const { converted } = await ask('setRate', { body: parsed.data });
    done.value = `Rate saved.${convertedWords(converted)}`;
    input.value.rate = '';
  });
}
function told(found: RatesLoaded): void {
  problems.value = found.problems;
  done.value =
    found.rates === 0
      ? 'All these rates were here already.'
      : `${found.rates === 1 ? '1 rate' : `${count(found.rates)} rates`} of ${found.currencies.join(', ')} saved, ${dayRange(found.from, found.to)}.${convertedWords(found.converted)}`;
}
const pick = (file: File): Promise<void> =>
  during('Reading the file …', async () => told(await uploadFile('loadRates', null, file)));
const fetchThem = (): Promise<void> =>
  during('Loading rates …', async () => told(await ask('fetchRates', {})));
const remove = (row: RateRow): Promise<void> =>
  during('Deleting …', async () => {
    await ask('removeRate', { body: { base: row.base, day: row.day } });
    done.value = `The rate of ${row.base} from ${row.day} is deleted. What it converted stays as it is.`;
  });
const list = computed(() => rows.value.map((r) => ({ ...r, id: `${r.base} ${r.day}` })));
</script>
<template>
  <PageHead
    title="Rates"
    says="Tracheon converts each amount at the latest rate on or before its day. Without a rate, the amount stays in its own currency."
  >
    <Button v-if="session.canEdit" severity="secondary" :disabled="busy !== ''" @click="fetchThem"
      >Load from the ECB</Button
    >
    <FileButton
      v-if="session.canEdit"
      accept=".csv,.tsv,.txt,.xlsx,.xml"
      label="Load rates file"
      :disabled="busy !== ''"
      @pick="pick"
    />
  </PageHead>
  <MoneyNav class="bar" />
  <p v-if="busy" role="status">{{ busy }}</p>
  <p v-if="done" role="status">{{ done }}</p>
  <p v-if="wrong" class="error" role="alert">{{ wrong }}</p>
  <div v-if="problems.length" class="error" role="alert">
    <p v-for="p in problems" :key="p.n">Row {{ p.n }}: {{ p.why }}</p>
  </div>
  <div v-if="daily" class="row bar">
    <ToggleSwitch
      :model-value="daily.isOn"
      input-id="daily-rates"
      :disabled="!session.canEdit || busy !== ''"
      @update:model-value="setDaily"
    />
    <label for="daily-rates">Load rates from the European Central Bank every day</label>
    <span v-if="daily.failedAt" class="error"
      >Tracheon could not load them since {{ moment(daily.failedAt, session.desk.zone) }}. It tries again
      twice a day.</span
    >
  </div>
  <UnconvertedAmounts ref="waiting" class="bar" />
  <section v-if="session.canEdit" class="sheet pad bar" aria-label="Add a rate">
    <h2>Add a rate</h2>
    <form class="add" @submit.prevent="add">
      <FormField v-slot="{ id, invalid }" label="1 unit of" :error="errors.base"
        ><InputText :id="id" v-model.trim="input.base" maxlength="3" placeholder="USD" :invalid="invalid"
      /></FormField>
      <FormField v-slot="{ id, invalid }" :label="`is in ${session.desk.currency}`" :error="errors.rate"
        ><InputText
          :id="id"
          v-model.trim="input.rate"
          inputmode="decimal"
          placeholder="0.9214"
          :invalid="invalid"
      /></FormField>
      <FormField v-slot="{ id, invalid }" label="from" :error="errors.day"
        ><DayField :id="id" v-model="input.day" :invalid="invalid"
      /></FormField>
      <Button severity="secondary" type="submit" :disabled="busy !== ''">Save rate</Button>
    </form>
  </section>
  <div class="row bar">
    <InputText v-model="search" class="search" placeholder="Currency or day" aria-label="Search rates" />
  </div>
  <section class="sheet" aria-label="Exchange rates">
    <ListTable
      :rows="list"
      :state="state"
      :failure="failure"
      label="Exchange rates"
      name="rates"
      sort-by="-day"
      :search="search"
      :text="(r) => `${r.base} ${r.day}`"
      :columns="[
        { key: 'base', label: 'Currency', sort: (r) => r.base },
        { key: 'day', label: 'From', sort: (r) => r.day },
        { key: 'rate', label: `In ${session.desk.currency}`, num: true, sort: (r) => Number(r.rate) },
        ...(session.canEdit ? [{ key: 'remove', label: '(delete)' }] : []),
      ]"
      @again="load"
    >
      <template #empty
        ><StateBlock
          state="empty"
          title="No rates yet"
          words="Load the daily rates from the European Central Bank, or a file with the columns currency, day and rate."
      /></template>
      <template #base="{ row }">{{ row.base }}</template>
      <template #day="{ row }">{{ row.day }}</template>
      <template #rate="{ row }">{{ row.rate }}</template>
      <template #remove="{ row }"
        ><Button
          variant="link"
          :disabled="busy !== ''"
          :aria-label="`Delete the rate of ${row.base} from ${row.day}`"
          @click="remove(row)"
          >Delete</Button
        ></template
      >
    </ListTable>
  </section>
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
.search {
  width: 220px;
}
.add {
  display: grid;
  grid-template-columns: 90px 120px 150px auto;
  gap: 6px 12px;
  align-items: start;
  margin: 8px 0 0;
}
.add button {
  margin-top: 22px;
  justify-self: start;
}
@media (max-width: 560px) {
  .add {
    grid-template-columns: 1fr 1fr;
  }
}
</style>
