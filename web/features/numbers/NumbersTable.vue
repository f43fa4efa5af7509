<script setup lang="ts">
/** The rows of Numbers: figures of each value, its verdict, what it was in the period before, the rest, and the total. */
import Button from 'primevue/button';
import { ChevronDown, ChevronRight } from '@lucide/vue';
import { verdictLabels, wilson, type FigureName } from '@tracheon/core/metrics';
import type { Figures } from '@tracheon/core/contract';
import { computed, ref } from 'vue';
import { useSession } from '../../app/session.ts';
import EstimatedNote from '../../ui/EstimatedNote.vue';
import { figureChange, figureColumns, figureText } from '../../ui/figureColumns.ts';
import { count, percent } from '../../ui/format.ts';
import HoldMoney from '../../ui/HoldMoney.vue';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import ProfitBar from '../../ui/ProfitBar.vue';
import SignedMoney from '../../ui/SignedMoney.vue';
import StateBlock from '../../ui/StateBlock.vue';
import { useCopy } from '../../ui/useCopy.ts';
import VerdictMark from '../../ui/VerdictMark.vue';
import { groupingLabel, valueText } from './groupingWords.ts';
import { morePlain, moreText, type MoreFigure } from './moreFigures.ts';
import type { NumbersRow } from './openLevels.ts';
import type { useNumbers } from './useNumbers.ts';

const props = defineProps<{ numbers: ReturnType<typeof useNumbers>; more: readonly MoreFigure[] }>();
const emit = defineEmits<{ behind: [row: NumbersRow, begin: 'visits' | 'conversions'] }>();
/** Figures that lead to what they count. */
const leadsTo: Partial<Record<FigureName, 'visits' | 'conversions'>> = {
  visits: 'visits',
  conversions: 'conversions',
};
const session = useSession();
const copy = useCopy();
const table = ref<{ focusRows: () => boolean } | null>(null);
defineExpose({ focusRows: () => table.value?.focusRows() });
const { rows, state, failure, sort, search, levels, answer, only, having } = props.numbers;
const total = computed(() => answer.value?.total ?? null);
const first = [
  'roi',
  'roas',
  'spentMicros',
  'expectedMicros',
  'earnedMicros',
  'estimatedMicros',
  'estimatedShare',
] as const satisfies FigureName[];
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
  'earnedPerThousandMicros',
  'bots',
  'repeats',
  'botCostMicros',
  'fileCostMicros',
  'feedCostMicros',
  'linkCostMicros',
  'estimatedCostMicros',
  'withoutCost',
] as const satisfies FigureName[];
const plain = [...first, ...second];
/** Hidden until they are asked for: what most tables have no room for. */
const optional: readonly string[] = [
  'roas',
  'earnedMicros',
  'estimatedMicros',
  'estimatedShare',
  'unique',
  'sentToPage',
  'pageCtr',
  'approval',
  'paidPerVisitMicros',
  'earnedPerVisitMicros',
  'earnedPerThousandMicros',
  'bots',
  'repeats',
  'botCostMicros',
  'fileCostMicros',
  'feedCostMicros',
  'linkCostMicros',
  'estimatedCostMicros',
  'withoutCost',
];
const columns = computed<Column<NumbersRow>[]>(() => [
  {
    key: 'name',
    label: levels.value.map(groupingLabel).join(' › '),
    sort: (r) => r.name,
    csv: (r) => r.path.map((v, i) => (i === r.level ? r.name || v : v)).join(' › '),
    fixed: true,
  },
  {
    key: 'verdict',
    label: 'Verdict',
    // The server sorts.
    sort: (r) => (r.verdict ? r.verdict.kind : ''),
    csv: (r) => (r.verdict ? verdictLabels[r.verdict.kind] : ''),
    explain: 'What to do, by visits that are old enough to have converted',
  },
  ...figureColumns<NumbersRow>(['profitMicros', ...first, 'onHoldMicros', ...second], (r) => r.figures)
    .flatMap((c) => (c.key === 'profitMicros' ? [c, { key: 'bar', label: '(Profit bar)' }] : [c]))
    .map((c) => (optional.includes(c.key) ? { ...c, optional: true } : c)),
  ...props.more.map((f): Column<NumbersRow> => ({
    key: f.name,
    label: f.label,
    num: true,
    explain: f.meaning,
    optional: !f.isOwn,
    // The server sorts.
    sort: (r) => (r.figures ? (f.valueOf({ figures: r.figures, events: r.events }) ?? -Infinity) : -Infinity),
    csv: (r) => (r.figures ? morePlain(f, { figures: r.figures, events: r.events }) : ''),
  })),
]);
/** Of the rest, what came by event type is not known. */
const moreOf = (f: MoreFigure, row: NumbersRow): string =>
  row.figures && (row.kind === 'row' || f.isOwn)
    ? moreText(f, { figures: row.figures, events: row.events })
    : '';
const text = (row: NumbersRow): string => valueText(levels.value[row.level]!, row.name);
const openIf = (isOpen: boolean, row: NumbersRow): void => {
  if (props.numbers.canOpen(row) && props.numbers.isOpen(row) === isOpen) void props.numbers.toggle(row);
};
const rowActions = {
  ArrowRight: (row: NumbersRow) => openIf(false, row),
  ArrowLeft: (row: NumbersRow) => openIf(true, row),
  Enter: (row: NumbersRow) =>
    row.more > 0 ? void props.numbers.more(row) : row.kind === 'row' && emit('behind', row, 'visits'),
  c: (row: NumbersRow) => void copy(row.name),
};
const isFiltered = computed(() => only.value.length > 0 || having.value.length > 0);
const profits = computed(() =>
  rows.value.filter((r) => r.kind === 'row').map((r) => Number(r.figures?.profitMicros ?? 0)),
);
/** Half the width of the interval of 95 %. */
function interval({ conversions, visits }: Figures): string {
  const around = wilson(conversions, visits);
  return around && visits > 0 ? `±${percent((around.high - around.low) / 2, 2).replace(/\s?%/, '')}` : '';
}
/** A verdict that needs more visits says that the figures beside it may still change. */
const isQuiet = (row: NumbersRow): boolean => row.verdict?.kind === 'too_early';
const change = (name: FigureName, row: NumbersRow): string =>
  row.figures && row.before ? figureChange(name, row.figures, row.before) : '';
const totalChange = (name: FigureName): string =>
  total.value ? figureChange(name, total.value, answer.value?.totalBefore ?? null) : '';
</script>
<template>
  <ListTable
    ref="table"
    :row-actions="rowActions"
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
        v-else-if="isFiltered"
        state="empty"
        title="No row meets the filters"
        words="Remove a filter."
      >
        <Button severity="secondary" @click="((only = []), (having = []))">Remove all filters</Button>
      </StateBlock>
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
        <span v-else-if="row.kind === 'rest'" class="quiet">Rest, left out by the filters</span>
        <template v-else>
          <Button
            v-if="numbers.canOpen(row)"
            variant="text"
            class="open"
            :aria-expanded="numbers.isOpen(row)"
            :aria-label="`${text(row)}: ${groupingLabel(levels[row.level + 1]!)}`"
            @click="numbers.toggle(row)"
          >
            <component :is="numbers.isOpen(row) ? ChevronDown : ChevronRight" :size="14" aria-hidden="true" />
          </Button>
          <span :class="{ quiet: row.name === '' }">{{ text(row) }}</span>
        </template>
      </span>
    </template>
    <template #verdict="{ row }">
      <VerdictMark
        v-if="row.verdict"
        :verdict="row.verdict"
        :of="text(row)"
        :currency="answer?.currency ?? session.desk.currency"
      />
    </template>
    <template #profitMicros="{ row }"
      ><SignedMoney v-if="row.figures" :micros="row.figures.profitMicros" /><small class="change">{{
        change('profitMicros', row)
      }}</small></template
    >
    <template #bar="{ row }"
      ><ProfitBar
        v-if="row.kind === 'row' && row.figures"
        :micros="row.figures.profitMicros"
        :most="Math.max(0, ...profits)"
        :least="Math.min(0, ...profits)"
    /></template>
    <template #onHoldMicros="{ row }"
      ><HoldMoney v-if="row.figures" :micros="row.figures.onHoldMicros"
    /></template>
    <template v-for="name in plain" :key="name" #[name]="{ row }"
      ><EstimatedNote v-if="name === 'expectedMicros'" :figures="row.figures" /><Button
        v-if="leadsTo[name] && row.kind === 'row' && row.figures?.[name]"
        variant="link"
        class="leads"
        :class="{ quiet: isQuiet(row) }"
        :aria-label="`${figureText(name, row.figures)} ${leadsTo[name]} of ${text(row)}: show them`"
        @click="emit('behind', row, leadsTo[name]!)"
        >{{ figureText(name, row.figures) }}</Button
      ><span v-else :class="{ quiet: isQuiet(row) }">{{
        row.figures ? figureText(name, row.figures) : ''
      }}</span>
      <small v-if="name === 'cr' && row.figures" class="quiet interval">{{ interval(row.figures) }}</small>
      <small class="change">{{ change(name, row) }}</small></template
    >
    <template v-for="f in more" :key="f.name" #[f.name]="{ row }"
      ><span :class="{ quiet: isQuiet(row) }">{{ moreOf(f, row) }}</span></template
    >
    <template v-for="f in total ? more : []" :key="f.name" #[`total-${f.name}`]>{{
      moreText(f, { figures: total!, events: answer!.totalEvents })
    }}</template>
    <template v-if="total" #total-name>Total</template>
    <template v-if="total" #total-profitMicros
      ><SignedMoney :micros="total.profitMicros" /><small class="change">{{
        totalChange('profitMicros')
      }}</small></template
    >
    <template v-if="total" #total-onHoldMicros><HoldMoney :micros="total.onHoldMicros" /></template>
    <template v-for="name in total ? plain : []" :key="name" #[`total-${name}`]
      >{{ figureText(name, total) }}<small class="change">{{ totalChange(name) }}</small></template
    >
  </ListTable>
</template>
<style scoped>
.value {
  display: inline-flex;
  align-items: center;
  gap: 4px;
}
.open {
  padding: 0 2px;
}
.leads.p-button {
  padding: 0;
  color: inherit;
}
.interval {
  margin-left: 4px;
}
.change {
  display: block;
  color: var(--quiet);
  font-weight: 400;
}
.change:empty {
  display: none;
}
</style>
