<script setup lang="ts">
/** A campaign's figures by a sub-ID of its source: where to cut and where to bid more. */
import type { NumbersAnswer, NumbersAsked, PartRecord } from '@tracheon/core/contract';
import { SUB_PREFIX } from '@tracheon/core/metrics';
import { computed, ref, watch } from 'vue';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import BuildingNote from '../../shared/BuildingNote.vue';
import { usePeriod } from '../../shared/period.ts';
import { subsOf } from '@tracheon/core/parts';
import { firstSub } from '../../shared/sourceSubs.ts';
import { useIndexed } from '../../shared/useIndexed.ts';
import EstimatedNote from '../../ui/EstimatedNote.vue';
import { figureColumns, figureText } from '../../ui/figureColumns.ts';
import { count, money } from '../../ui/format.ts';
import HoldMoney from '../../ui/HoldMoney.vue';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import PickOne from '../../ui/PickOne.vue';
import ProfitBar from '../../ui/ProfitBar.vue';
import SignedMoney from '../../ui/SignedMoney.vue';
import StateBlock from '../../ui/StateBlock.vue';
import VerdictMark from '../../ui/VerdictMark.vue';

const props = defineProps<{ campaignId: string; source: PartRecord<'source'> }>();
/** The table shows what matters most; Numbers has the rest. */
const MOST_ROWS = 12;
const NEWS_EVERY_MS = 5000;
type Row = NumbersAnswer['rows'][number];
const session = useSession();
const { range } = usePeriod();
const subs = computed(() => subsOf(props.source.body));
const chosen = ref('');
const sub = computed(() => (subs.value.includes(chosen.value) ? chosen.value : firstSub(subs.value)));
const answer = ref<NumbersAnswer | null>(null);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const sort = ref('-spentMicros');
const { building, indexed } = useIndexed(() => void load());
const asks = newest();
function load(): Promise<void> {
  if (sub.value === '') return Promise.resolve();
  const column = sort.value.replace(/^-/, '');
  const body = {
    ...range.value,
    by: [SUB_PREFIX + sub.value],
    only: [{ by: 'campaign_id', is: 'is', values: [props.campaignId] }],
    sort: column === 'name' ? '' : column,
    isDescending: sort.value.startsWith('-'),
    verdicts: true,
    limit: MOST_ROWS,
  } as NumbersAsked;
  return asks(
    indexed(() => ask('numbersReport', { body })),
    (found) => {
      answer.value = found;
      state.value = 'ready';
    },
    (why) => {
      failure.value = why;
      state.value = 'failed';
    },
  );
}
watch([() => props.campaignId, sub, range, sort], load, { immediate: true });
onNews(['numbers'], () => (state.value === 'ready' ? load() : undefined), NEWS_EVERY_MS);

const plain = ['roi', 'spentMicros', 'expectedMicros', 'visits', 'sentToOffer', 'conversions', 'cr'] as const;
const columns = computed<Column<Row>[]>(() => [
  { key: 'name', label: sub.value, sort: (r) => r.names[0]!, csv: (r) => r.values[0]!, fixed: true },
  { key: 'verdict', label: 'Verdict' },
  ...figureColumns<Row>(
    ['profitMicros', 'roi', 'spentMicros', 'expectedMicros', 'onHoldMicros'],
    (r) => r.figures,
  ).flatMap((c) => (c.key === 'profitMicros' ? [c, { key: 'bar', label: '(Profit bar)' }] : [c])),
  ...figureColumns<Row>(['visits', 'sentToOffer', 'conversions', 'cr'], (r) => r.figures),
]);
const rows = computed(() => answer.value?.rows ?? []);
const profits = computed(() => rows.value.map((r) => Number(r.figures.profitMicros ?? 0)));
const losing = computed(() => rows.value.filter((r) => r.verdict?.kind === 'cut' && r.values[0] !== ''));
const lost = computed(() => losing.value.reduce((sum, r) => sum - BigInt(r.figures.profitMicros ?? 0), 0n));
const numbers = computed(() => ({
  path: '/numbers',
  query: { by: SUB_PREFIX + sub.value, only: `campaign_id:is:${props.campaignId}` },
}));
const cutList = computed(() => ({
  path: '/numbers/cut',
  query: { source: props.source.id, sub: sub.value },
}));
</script>
<template>
  <section v-if="sub !== ''" class="sheet" aria-label="By sub-ID">
    <div class="row spread pad">
      <div class="row">
        <h2>{{ subs.length > 1 ? 'By sub-ID' : `By ${sub}` }}</h2>
        <PickOne
          v-if="subs.length > 1"
          :model-value="sub"
          aria-label="Sub-ID"
          :options="subs.map((s) => ({ value: s, label: s }))"
          class="pick"
          @change="chosen = $event"
        />
        <span v-if="answer" class="quiet">{{
          answer.count === 1 ? '1 row' : `${count(answer.count)} rows`
        }}</span>
      </div>
      <div class="row">
        <RouterLink :to="cutList"
          >Cut list<template v-if="losing.length > 0">
            · {{ losing.length }} here {{ losing.length === 1 ? 'loses' : 'lose' }} {{ money(lost) }}
            {{ session.desk.currency }}</template
          ></RouterLink
        >
        <RouterLink :to="numbers">All in Numbers</RouterLink>
      </div>
    </div>
    <BuildingNote v-if="building" :building="building" />
    <ListTable
      v-else
      :rows="rows"
      :columns="columns"
      :state="state"
      :failure="failure"
      :row-key="(r) => r.values[0]!"
      label="By sub-ID"
      :sort-by="sort"
      sorts-on-server
      @sort="sort = $event"
      @again="load"
    >
      <template #empty>
        <StateBlock state="empty" title="No visits in this period" words="Choose a longer period." />
      </template>
      <template #name="{ row }"
        ><code v-if="row.names[0]">{{ row.names[0] }}</code
        ><span v-else class="quiet">no value</span></template
      >
      <template #verdict="{ row }"
        ><VerdictMark
          v-if="row.verdict"
          :verdict="row.verdict"
          :of="row.names[0] || 'no value'"
          :currency="session.desk.currency"
      /></template>
      <template #profitMicros="{ row }"><SignedMoney :micros="row.figures.profitMicros" /></template>
      <template #bar="{ row }"
        ><ProfitBar
          :micros="row.figures.profitMicros"
          :most="Math.max(0, ...profits)"
          :least="Math.min(0, ...profits)"
      /></template>
      <template #onHoldMicros="{ row }"><HoldMoney :micros="row.figures.onHoldMicros" /></template>
      <template v-for="name in plain" :key="name" #[name]="{ row }"
        ><EstimatedNote v-if="name === 'expectedMicros'" :figures="row.figures" />{{
          figureText(name, row.figures)
        }}</template
      >
    </ListTable>
  </section>
</template>
<style scoped>
.pick {
  width: auto;
}
</style>
