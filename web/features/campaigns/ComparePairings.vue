<script setup lang="ts">
/** Which pairing of a split earns most, how sure that is, and what it takes to be sure. */
import { seedOf } from '@tracheon/core/chance';
import type { NumbersAnswer, NumbersAsked, PartRecord } from '@tracheon/core/contract';
import { branchesOf, comparePairings, OTHERWISE, type Arm } from '@tracheon/core/routing';
import { computed, ref, watch } from 'vue';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { usePeriod } from '../../shared/period.ts';
import { useIndexed } from '../../shared/useIndexed.ts';
import FoldBlock from '../../ui/FoldBlock.vue';
import { count, money, percent } from '../../ui/format.ts';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import SignedMoney from '../../ui/SignedMoney.vue';
import { pairingVerdict } from './pairingWords.ts';

const props = defineProps<{ campaign: PartRecord<'campaign'> }>();
const parts = useParts();
const session = useSession();
const { range } = usePeriod();
/** Branches between whose pairings there is something to compare. */
const splits = computed(() =>
  branchesOf(props.campaign.body)
    .map((b) => ({ ...b, pairings: b.pairings.filter((p) => p.isOn && p.weight > 0) }))
    .filter((b) => b.pairings.length > 1),
);
const answer = ref<NumbersAnswer | null>(null);
const { indexed } = useIndexed(() => void load());
const asks = newest();
function load(): Promise<void> {
  if (splits.value.length === 0) return Promise.resolve();
  const body = {
    ...range.value,
    by: ['branch_id', 'pairing_id'],
    only: [{ by: 'campaign_id', is: 'is', values: [props.campaign.id] }],
    verdicts: true,
    limit: 500,
  } as NumbersAsked;
  return asks(
    indexed(() => ask('numbersReport', { body })),
    (found) => {
      answer.value = found;
    },
    () => (answer.value = null),
  );
}
watch([() => props.campaign.id, splits, range], load, { immediate: true });

const nameOf = (landingPageId: string, offerIds: readonly string[]): string =>
  [landingPageId, ...offerIds]
    .map((id) => parts.byId.get(id)?.body.name ?? '')
    .filter(Boolean)
    .join(' → ');
const compared = computed(() =>
  splits.value.map((split) => {
    const rows = answer.value?.rows.filter((r) => r.values[0] === split.id) ?? [];
    const rowOf = (id: string) => rows.find((r) => r.values[1] === id);
    const arms = split.pairings.map(({ id }): Arm => {
      const mature = rowOf(id)?.verdict;
      return {
        pairingId: id,
        visits: mature?.visits ?? 0,
        conversions: mature?.conversions ?? 0,
        expectedMicros: Number(mature?.expectedMicros ?? 0),
      };
    });
    const found = comparePairings(arms, seedOf(JSON.stringify(arms)));
    const names = new Map(split.pairings.map((p) => [p.id, nameOf(p.landingPageId, p.offerIds)]));
    return {
      id: split.id,
      title:
        branchesOf(props.campaign.body).length === 1
          ? ''
          : split.id === OTHERWISE
            ? ' · all other visitors'
            : ` · ${split.name}`,
      words: pairingVerdict(found, names.get(found.bestId) ?? ''),
      pValue: found.pValue,
      rows: found.pairings.map((p) => ({
        ...p,
        id: p.pairingId,
        name: names.get(p.pairingId) ?? p.pairingId,
        profit: rowOf(p.pairingId)?.figures.profitMicros ?? '0',
      })),
    };
  }),
);
type Row = (typeof compared.value)[number]['rows'][number];
const columns: Column<Row>[] = [
  { key: 'name', label: 'Pairing', sort: (r) => r.name },
  {
    key: 'visits',
    label: 'Visits',
    num: true,
    explain: 'Visits that are old enough to have converted',
    sort: (r) => r.visits,
  },
  { key: 'conversions', label: 'Conv.', num: true, sort: (r) => r.conversions },
  { key: 'cr', label: 'CR', num: true, sort: (r) => r.conversions / Math.max(1, r.visits) },
  {
    key: 'perVisit',
    label: 'Expected per visit',
    num: true,
    explain: 'With the interval that holds it with 95 %',
    sort: (r) => r.perVisit ?? -1,
  },
  { key: 'profit', label: 'Profit', num: true, sort: (r) => Number(r.profit) },
  { key: 'best', label: 'Chance to be best', num: true, sort: (r) => r.chanceOfBest ?? -1 },
  {
    key: 'loss',
    label: 'Loss if you stop now',
    num: true,
    explain: 'Revenue per 1 000 visits that is lost on average if all visitors get this pairing from now on',
    sort: (r) => r.lossPerThousand ?? -1,
  },
];
const each = (micros: number | null): string =>
  micros === null ? '–' : money(BigInt(Math.round(micros)), 4);
</script>
<template>
  <section v-if="answer && compared.length > 0" class="sheet" aria-label="Pairings compared">
    <div v-for="split in compared" :key="split.id">
      <div class="pad">
        <h2>Pairings{{ split.title }}</h2>
        <p role="status">{{ split.words }}</p>
      </div>
      <ListTable :rows="split.rows" :columns="columns" :label="`Pairings${split.title}`" sort-by="-best">
        <template #name="{ row }">{{ row.name }}</template>
        <template #visits="{ row }">{{ count(row.visits) }}</template>
        <template #conversions="{ row }">{{ count(row.conversions) }}</template>
        <template #cr="{ row }">{{
          row.visits > 0 ? percent(row.conversions / row.visits, 2) : '–'
        }}</template>
        <template #perVisit="{ row }"
          >{{ each(row.perVisit) }}
          <small v-if="row.low !== null" class="quiet"
            >{{ each(row.low) }} to {{ each(row.high) }}</small
          ></template
        >
        <template #profit="{ row }"><SignedMoney :micros="row.profit" /></template>
        <template #best="{ row }">{{ percent(row.chanceOfBest, 0) }}</template>
        <template #loss="{ row }">{{
          row.lossPerThousand === null ? '–' : `${money(BigInt(Math.round(row.lossPerThousand)))}`
        }}</template>
      </ListTable>
      <FoldBlock v-if="split.pValue !== null" title="Significance test" class="pad">
        <p>
          Two-proportion z-test of the conversion rates of the two best pairings: p =
          {{ split.pValue.toFixed(3) }}. A difference this large or larger would come by chance alone in
          {{ percent(split.pValue, 1) }} of such tests. The test knows nothing of payouts.
        </p>
      </FoldBlock>
    </div>
    <p class="quiet pad small">
      Only visits that are old enough to have converted are compared. Amounts are in
      {{ session.desk.currency }}.
    </p>
  </section>
</template>
