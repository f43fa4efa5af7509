<script setup lang="ts">
/** What earns and what loses: figures by any values, level by level, with a total that is always of all rows. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { ChartLine, Download, Scissors } from '@lucide/vue';
import type { ValueFilter } from '@tracheon/core/contract';
import { revenueBases, SUB_PREFIX, type RevenueBasis } from '@tracheon/core/metrics';
import { computed, defineAsyncComponent, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useKeys } from '../../app/keys.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import LiveMark from '../../shared/LiveMark.vue';
import PeriodChoice from '../../shared/PeriodChoice.vue';
import { usePeriod } from '../../shared/period.ts';
import { count, countryName, dayRange, moment } from '../../ui/format.ts';
import PageHead from '../../ui/PageHead.vue';
import PickOne from '../../ui/PickOne.vue';
import BuildingNote from '../../shared/BuildingNote.vue';
import FilterChoice from './FilterChoice.vue';
import { groupingLabel, valueText } from './groupingWords.ts';
import LevelChoice from './LevelChoice.vue';
import ProfitStrip from './ProfitStrip.vue';
import NumbersTable from './NumbersTable.vue';
import ViewChoice from './ViewChoice.vue';
import type { NumbersRow } from './openLevels.ts';
import { useMoreFigures } from './useMoreFigures.ts';
import { useNumbers } from './useNumbers.ts';

const BehindSheet = defineAsyncComponent(() => import('./BehindSheet.vue'));
const ChartPanel = defineAsyncComponent(() => import('./ChartPanel.vue'));
const OwnFiguresSheet = defineAsyncComponent(() => import('./OwnFiguresSheet.vue'));
const ExportSheet = defineAsyncComponent(() => import('./ExportSheet.vue'));
const session = useSession();
const parts = useParts();
const { range } = usePeriod();
const route = useRoute();
const router = useRouter();
const numbers = useNumbers();
const more = useMoreFigures();
const makingFigures = ref(false);
const {
  rows,
  state,
  building,
  problem,
  search,
  levels,
  answer,
  only,
  having,
  dayOf,
  basis,
  currency,
  against,
} = numbers;
/** Of the sub-ID that the table is broken down by, and of the source that it is about, where there is one. */
const cutList = computed(() => {
  const level = levels.value.find((l) => l.startsWith(SUB_PREFIX));
  const source = only.value.find((f) => f.by === 'source_id' && f.is === 'is' && f.values.length === 1);
  return {
    path: '/numbers/cut',
    query: {
      ...(source ? { source: source.values[0] } : {}),
      ...(level ? { sub: level.slice(SUB_PREFIX.length) } : {}),
    },
  };
});
const total = computed(() => answer.value?.total ?? null);
/** Records by their names; whatever else is called as it is. */
const named = (by: string, value: string): string =>
  by === 'country' && value !== '' ? countryName(value) : (parts.byId.get(value)?.body.name ?? value);
const dayChoices = [
  { value: 'visit' as const, label: 'by visit day' },
  { value: 'conversion' as const, label: 'by conversion day' },
];
const basisChoices = (Object.keys(revenueBases) as RevenueBasis[]).map((value) => ({
  value,
  label: `revenue: ${revenueBases[value].label}`,
}));
/** Of the question; its answer may still be on its way. */
const shownCurrency = computed(() => currency.value || session.desk.currency);
const currencyChoices = computed(() =>
  [...new Set([session.desk.currency, ...(answer.value?.currencies ?? []), shownCurrency.value])].map(
    (label) => ({ value: label === session.desk.currency ? '' : label, label }),
  ),
);
const names = computed(() => ({ subs: answer.value?.subs ?? [], extras: answer.value?.extras ?? [] }));
const behindOpen = ref(false);
const behind = ref<{
  key: string;
  props: {
    title: string;
    period: { from: string; to: string };
    filters: ValueFilter[];
    dayOf: 'visit' | 'conversion';
    begin: 'visits' | 'conversions';
  };
} | null>(null);
function lookBehind(row: NumbersRow, begin: 'visits' | 'conversions'): void {
  const own = row.path.map((value, i) => ({ by: levels.value[i]!, is: 'is' as const, values: [value] }));
  behind.value = {
    key: `${row.key}|${begin}`,
    props: {
      title: valueText(levels.value[row.level]!, row.name),
      period: range.value,
      filters: [...only.value, ...own],
      dayOf: dayOf.value,
      begin,
    },
  };
  behindOpen.value = true;
}
/** Kept in the address, as everything that a view shows. */
const isCharted = computed<boolean>({
  get: () => route.query.chart === 'yes',
  set: (on) => void router.replace({ query: { ...route.query, chart: on ? 'yes' : undefined } }),
});
const exporting = ref(false);
const youngWords = ({ least, most }: { least: number; most: number }): string =>
  `Verdicts leave out visits younger than ${least === most ? most : `${least} to ${most}`} hours: most of their conversions have yet to come.`;
const table = ref<InstanceType<typeof NumbersTable> | null>(null);
const searchField = ref<InstanceType<typeof InputText> | null>(null);
useKeys([
  { key: 'g', words: 'Show or hide the chart', run: () => (isCharted.value = !isCharted.value) },
  {
    key: 'r',
    words: 'Go to the rows: ↑ ↓ move, → opens, ← closes, Enter shows visits, c copies the value',
    run: () => void table.value?.focusRows(),
  },
  { key: 'x', words: 'Cut list', run: () => void router.push(cutList.value) },
  {
    key: '/',
    words: 'Search the values',
    run: () => (searchField.value as unknown as { $el: HTMLInputElement } | null)?.$el.focus(),
  },
]);
</script>
<template>
  <PageHead title="Numbers" says="What earns and what loses, by any value of your visits.">
    <LiveMark />
    <ViewChoice />
    <Button severity="secondary" aria-haspopup="dialog" @click="makingFigures = true">Own figures</Button>
    <Button severity="secondary" :aria-expanded="isCharted" @click="isCharted = !isCharted"
      ><ChartLine :size="15" aria-hidden="true" /> {{ isCharted ? 'Hide chart' : 'Show chart' }}
      <kbd>g</kbd></Button
    >
    <Button severity="secondary" aria-haspopup="dialog" @click="exporting = true"
      ><Download :size="15" aria-hidden="true" /> Export</Button
    >
    <Button @click="router.push(cutList)"
      ><Scissors :size="15" aria-hidden="true" /> Cut list <kbd>x</kbd></Button
    >
  </PageHead>
  <div class="row spread bar">
    <div class="row wrap">
      <PeriodChoice />
      <PickOne v-model="dayOf" aria-label="Day of conversions" :options="dayChoices" class="pick" />
      <PickOne
        v-model="basis"
        aria-label="Revenue that counts"
        :title="revenueBases[basis].meaning"
        :options="basisChoices"
        class="pick"
      />
      <PickOne v-model="currency" aria-label="Currency" :options="currencyChoices" class="pick" />
      <span class="quiet"
        >{{ dayRange(range.from, range.to) }} · {{ session.desk.zone
        }}<template v-if="against"> · against {{ dayRange(against.from, against.to) }}</template></span
      >
    </div>
    <FilterChoice
      v-model:only="only"
      v-model:having="having"
      :names="names"
      :more="more.figures.value"
      :currency="shownCurrency"
      :named="named"
      :suggest="numbers.suggest"
    />
  </div>
  <div class="row spread bar">
    <LevelChoice :model-value="levels" :names="names" @update:model-value="numbers.setLevels" />
    <InputText
      ref="searchField"
      v-model="search"
      type="search"
      class="search"
      :placeholder="`Search ${groupingLabel(levels[0]!)}`"
      :aria-label="`Search ${groupingLabel(levels[0]!)}`"
    />
  </div>
  <ProfitStrip
    :by-day="numbers.byDay"
    :asked="JSON.stringify([only, dayOf, basis, currency, answer?.fedAt === undefined])"
    :currency="shownCurrency"
    :is-ready="answer !== null"
  />
  <ChartPanel v-if="isCharted && answer" :numbers="numbers" />
  <BuildingNote v-if="building" :building="building" />
  <section v-else class="sheet" aria-label="Numbers">
    <p v-if="problem" class="error pad" role="alert">{{ problem }}</p>
    <NumbersTable ref="table" :numbers="numbers" :more="more.figures.value" @behind="lookBehind" />
    <p v-if="answer && state === 'ready' && rows.length > 0" class="quiet pad small">
      {{ answer.count === 1 ? '1 row' : `${count(answer.count)} rows`
      }}<template v-if="search"> found. The total covers all rows</template>. Updated
      {{ moment(answer.fedAt, session.desk.zone) }}.
      <template v-if="answer.youngHours">{{ youngWords(answer.youngHours) }}</template>
    </p>
    <p v-if="answer?.hasMoreSubs" class="quiet pad small">
      Visits and conversions of this desk name more than 200 sub-IDs and extras. Reports have the first 200.
      Check the tracking links for parameters that change with every visit.
    </p>
    <p v-for="u in total?.unconverted ?? []" :key="u.currency" class="quiet pad small">
      Tracheon has no exchange rate for {{ u.currency }}, so these figures leave out amounts in
      {{ u.currency }}. <RouterLink to="/money/rates">Add a rate</RouterLink>
    </p>
  </section>
  <BehindSheet v-if="behind" :key="behind.key" v-model:open="behindOpen" v-bind="behind.props" />
  <ExportSheet
    v-if="exporting"
    v-model:open="exporting"
    :asked="numbers.everything()"
    :more="more.figures.value"
  />
  <OwnFiguresSheet
    v-if="makingFigures"
    v-model:open="makingFigures"
    :own="more.own.value"
    @changed="more.load()"
  />
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
.pick {
  width: auto;
}
.search {
  width: 260px;
}
</style>
