<script setup lang="ts">
/** What earns and what loses: figures by any values, level by level, with a total that is always of all rows. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import ProgressBar from 'primevue/progressbar';
import { ChevronDown, ChevronRight } from '@lucide/vue';
import type { FigureName } from '@tracheon/core/metrics';
import { computed, ref } from 'vue';
import { useKeys } from '../../app/keys.ts';
import { useSession } from '../../app/session.ts';
import LiveMark from '../../shared/LiveMark.vue';
import PeriodChoice from '../../shared/PeriodChoice.vue';
import { usePeriod } from '../../shared/period.ts';
import { figureColumns, figureText } from '../../ui/figureColumns.ts';
import { count, dayRange, moment } from '../../ui/format.ts';
import HoldMoney from '../../ui/HoldMoney.vue';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import SignedMoney from '../../ui/SignedMoney.vue';
import StateBlock from '../../ui/StateBlock.vue';
import { groupingLabel, valueText } from './groupingWords.ts';
import LevelChoice from './LevelChoice.vue';
import type { NumbersRow } from './openLevels.ts';
import { useNumbers } from './useNumbers.ts';

const session = useSession();
const { range } = usePeriod();
const numbers = useNumbers();
const { rows, state, failure, building, problem, sort, search, levels, answer } = numbers;
const total = computed(() => answer.value?.total ?? null);
const first = ['roi', 'spentMicros', 'expectedMicros', 'earnedMicros'] as const satisfies FigureName[];
const second = [
  'visits',
  'unique',
  'sentToPage',
  'pageCtr',
  'sentToOffer',
  'conversions',
  'cr',
  'approval',
  'paidPerVisitMicros',
  'earnedPerVisitMicros',
  'bots',
  'repeats',
  'botCostMicros',
] as const satisfies FigureName[];
const plain = [...first, ...second];
/** Hidden until they are asked for: what most tables have no room for. */
const optional: readonly string[] = [
  'unique',
  'sentToPage',
  'pageCtr',
  'approval',
  'bots',
  'repeats',
  'botCostMicros',
];
const columns = computed<Column<NumbersRow>[]>(() => [
  {
    key: 'name',
    label: levels.value.map(groupingLabel).join(' › '),
    sort: (r) => r.name,
    csv: (r) => r.path.map((v, i) => (i === r.level ? r.name || v : v)).join(' › '),
    fixed: true,
  },
  ...figureColumns<NumbersRow>(['profitMicros', ...first, 'onHoldMicros', ...second], (r) => r.figures).map(
    (c) => (optional.includes(c.key) ? { ...c, optional: true } : c),
  ),
]);
const text = (row: NumbersRow): string => valueText(levels.value[row.level]!, row.name);
const share = computed(() => {
  const now = building.value;
  return !now || now.ofAbout <= 0 ? 0 : Math.min(100, Math.round((now.visits / now.ofAbout) * 100));
});
const progress = computed(() => {
  const { visits = 0, ofAbout = 0 } = building.value ?? {};
  return ofAbout > visits ? `${count(visits)} of about ${count(ofAbout)}` : count(visits);
});
const searchField = ref<InstanceType<typeof InputText> | null>(null);
useKeys([
  {
    key: '/',
    words: 'Search the values',
    run: () => (searchField.value as unknown as { $el: HTMLInputElement } | null)?.$el.focus(),
  },
]);
</script>
<template>
  <PageHead title="Numbers" says="What earns and what loses, by any value, by the day of the visit.">
    <LiveMark />
  </PageHead>
  <div class="row spread bar">
    <div class="row wrap">
      <PeriodChoice />
      <span class="quiet"
        >{{ dayRange(range.from, range.to) }} · {{ session.desk.zone }} · {{ session.desk.currency }}</span
      >
    </div>
  </div>
  <div class="row spread bar">
    <LevelChoice :model-value="levels" :subs="answer?.subs ?? []" @update:model-value="numbers.setLevels" />
    <InputText
      ref="searchField"
      v-model="search"
      type="search"
      class="search"
      :placeholder="`Search ${groupingLabel(levels[0]!)}`"
      :aria-label="`Search ${groupingLabel(levels[0]!)}`"
    />
  </div>
  <section v-if="building" class="sheet pad" aria-label="Building the index" role="status">
    <h2>Tracheon is building the index for this report</h2>
    <p>It has read {{ progress }} visits. Visits and conversions are recorded as usual.</p>
    <ProgressBar :value="share" aria-label="Progress of the index" />
  </section>
  <section v-else class="sheet" aria-label="Numbers">
    <p v-if="problem" class="error pad" role="alert">{{ problem }}</p>
    <ListTable
      :rows="rows"
      :columns="columns"
      :state="state"
      :failure="failure"
      :row-key="(r) => r.key"
      name="numbers"
      label="Numbers"
      :sort-by="sort"
      sorts-on-server
      @sort="sort = $event"
      @again="numbers.load"
    >
      <template #empty>
        <StateBlock
          v-if="search"
          state="empty"
          :title="`No ${groupingLabel(levels[0]!)} matches`"
          words="Change the search."
        />
        <StateBlock
          v-else
          state="empty"
          title="No visits in this period"
          words="Choose a longer period, or send visits to a campaign. Each value then gets a row here, such as each site of a source."
        />
      </template>
      <template #name="{ row }">
        <span class="value" :style="{ paddingLeft: `${row.level * 18}px` }">
          <Button v-if="row.more > 0" variant="link" @click="numbers.more(row)"
            >Show more rows ({{ count(row.more) }} left)</Button
          >
          <template v-else>
            <Button
              v-if="numbers.canOpen(row)"
              variant="text"
              class="open"
              :aria-expanded="numbers.isOpen(row)"
              :aria-label="`${text(row)}: ${groupingLabel(levels[row.level + 1]!)}`"
              @click="numbers.toggle(row)"
            >
              <component
                :is="numbers.isOpen(row) ? ChevronDown : ChevronRight"
                :size="14"
                aria-hidden="true"
              />
            </Button>
            <span :class="{ quiet: row.name === '' }">{{ text(row) }}</span>
          </template>
        </span>
      </template>
      <template #profitMicros="{ row }"
        ><SignedMoney v-if="row.figures" :micros="row.figures.profitMicros"
      /></template>
      <template #onHoldMicros="{ row }"
        ><HoldMoney v-if="row.figures" :micros="row.figures.onHoldMicros"
      /></template>
      <template v-for="name in plain" :key="name" #[name]="{ row }">{{
        row.figures ? figureText(name, row.figures) : ''
      }}</template>
      <template v-if="total" #total-name>Total</template>
      <template v-if="total" #total-profitMicros><SignedMoney :micros="total.profitMicros" /></template>
      <template v-if="total" #total-onHoldMicros><HoldMoney :micros="total.onHoldMicros" /></template>
      <template v-for="name in total ? plain : []" :key="name" #[`total-${name}`]>{{
        figureText(name, total)
      }}</template>
    </ListTable>
    <p v-if="answer && state === 'ready' && rows.length > 0" class="quiet pad small">
      {{ answer.count === 1 ? '1 row' : `${count(answer.count)} rows`
      }}<template v-if="search"> found. The total covers all rows</template>. Updated
      {{ moment(answer.fedAt, session.desk.zone) }}.
    </p>
    <p v-for="u in total?.unconverted ?? []" :key="u.currency" class="quiet pad small">
      Tracheon has no exchange rate for {{ u.currency }}, so these figures leave out amounts in
      {{ u.currency }}.
    </p>
  </section>
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
.search {
  width: 260px;
}
.value {
  display: inline-flex;
  align-items: center;
  gap: 4px;
}
.open {
  padding: 0 2px;
}
</style>
