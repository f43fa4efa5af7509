<script setup lang="ts">
import Button from 'primevue/button';
import { adLink } from '@tracheon/core/links';
import type { FigureName } from '@tracheon/core/metrics';
import { Plus } from '@lucide/vue';
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';
import { useKeys } from '../../app/keys.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import CopyButton from '../../ui/CopyButton.vue';
import { dayRange } from '../../ui/format.ts';
import { changeWords, figureCells } from '../../ui/figureCells.ts';
import { figureColumns, figureText } from '../../ui/figureColumns.ts';
import HoldMoney from '../../ui/HoldMoney.vue';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import ListHead from '../../shared/ListHead.vue';
import LiveMark from '../../shared/LiveMark.vue';
import PageHead from '../../ui/PageHead.vue';
import PeriodChoice from '../../shared/PeriodChoice.vue';
import BuildingNote from '../../shared/BuildingNote.vue';
import { usePeriod } from '../../shared/period.ts';
import ProfitBar from '../../ui/ProfitBar.vue';
import SignedMoney from '../../ui/SignedMoney.vue';
import StateBlock from '../../ui/StateBlock.vue';
import VerdictMark from '../../ui/VerdictMark.vue';
import BulkBar from './bulk/BulkBar.vue';
import { useCampaignRows, type CampaignRow } from './useCampaignRows.ts';

const parts = useParts();
const session = useSession();
const router = useRouter();
const list = useCampaignRows();
const { rows, total, totalBefore, report, withoutCost } = list;
const profits = computed(() => rows.value.map((r) => Number(r.figures?.profitMicros ?? 0)));
const { before } = usePeriod();
/** The totals against those of the period before. */
const compared = computed(() => {
  if (!total.value || !totalBefore.value) return [];
  const then = figureCells(totalBefore.value, session.desk.currency);
  return figureCells(total.value, session.desk.currency)
    .map((c, i) => ({ label: c.label, words: changeWords(c.amount, then[i]!.amount) }))
    .filter((c) => c.words !== '');
});
const picked = ref<string[]>([]);
/** What partners brought has no campaign, and so no row. */
const ofPartners = computed(() =>
  list.isNarrowed.value ? undefined : report.value?.rows.find((r) => r.campaignId === '')?.figures,
);
const hasTotal = computed(() => total.value !== null && rows.value.length > 1);
const chosen = computed(() => rows.value.filter((r) => picked.value.includes(r.id)).map((r) => r.part));
const many = ref<InstanceType<typeof BulkBar> | null>(null);
/** Figures whose cells are plain text; profit and money on hold have looks of their own. */
const plain = [
  'roi',
  'spentMicros',
  'expectedMicros',
  'earnedMicros',
  'visits',
  'sentToOffer',
  'conversions',
  'cr',
  'paidPerVisitMicros',
  'earnedPerVisitMicros',
] as const satisfies FigureName[];
const columnsOf = (...names: FigureName[]) => figureColumns<CampaignRow>(names, (r) => r.figures);
const columns: Column<CampaignRow>[] = [
  { key: 'name', label: 'Campaign', sort: (r) => r.part.body.name, fixed: true },
  {
    key: 'verdict',
    label: 'Verdict',
    explain: 'What to do, by visits that are old enough to have converted',
  },
  ...columnsOf('profitMicros'),
  { key: 'bar', label: '(profit bar)' },
  ...columnsOf(
    'roi',
    'spentMicros',
    'expectedMicros',
    'earnedMicros',
    'onHoldMicros',
    'visits',
    'sentToOffer',
    'conversions',
    'cr',
    'paidPerVisitMicros',
    'earnedPerVisitMicros',
  ),
  { key: 'copy', label: '(copy the link)' },
];
const link = (r: CampaignRow): string => {
  const source = parts.one('source', r.part.body.sourceId);
  return source
    ? adLink(session.me?.trackingOrigin ?? '', r.part, source.body, (id) => parts.one('landing-page', id))
    : '';
};
function create(): void {
  if (session.canEdit) void router.push('/set-up');
}
useKeys([{ key: 'n', words: 'Set up a campaign', run: create }]);
</script>
<template>
  <PageHead title="Campaigns" says="Cost and revenue of each campaign, by the day of the visit.">
    <LiveMark />
    <Button severity="secondary" v-if="session.canEdit" @click="many?.show('swap')"
      >Replace an offer …</Button
    >
    <RouterLink v-if="session.canEdit" class="button main" to="/set-up"
      ><Plus :size="16" aria-hidden="true" /> Set up a campaign <kbd>N</kbd></RouterLink
    >
  </PageHead>
  <div class="row spread bar">
    <div class="row">
      <PeriodChoice />
      <span v-if="report" class="quiet"
        >{{ dayRange(report.from, report.to) }} · {{ report.zone }} · {{ report.currency }} · by visit
        day</span
      >
    </div>
    <Button variant="link" @click="many?.show('changes')">Bulk changes</Button>
  </div>
  <ListHead
    v-model:search="list.search.value"
    v-model:chosen="list.chosen"
    class="bar"
    :filters="list.filters.value"
    searches="campaigns"
    placeholder="Search campaigns"
  />
  <BulkBar ref="many" :chosen="chosen" @done="picked = []" />
  <BuildingNote v-if="list.building.value" class="bar" :building="list.building.value" />
  <StateBlock
    v-else-if="list.failure.value"
    class="sheet bar"
    state="failed"
    :words="list.failure.value"
    @again="list.load"
  />
  <section class="sheet" aria-label="Campaigns">
    <ListTable
      :rows="rows"
      :columns="columns"
      :state="report || list.failure.value || parts.state === 'failed' ? parts.state : 'loading'"
      :failure="parts.failure"
      v-model:chosen="picked"
      name="campaigns"
      label="Campaigns"
      :choose-as="(r) => r.part.body.name"
      sort-by="-profitMicros"
      @again="parts.load"
    >
      <template #empty>
        <StateBlock
          v-if="list.isNarrowed.value"
          state="empty"
          title="No campaign matches"
          words="Change the search or the filters."
        />
        <StateBlock
          v-else
          state="empty"
          title="No campaign yet"
          words="A campaign sends visits from one source to an offer and gives you the tracking link for the source. Example: BE · Stargazing · Moorhen Push."
        >
          <RouterLink v-if="session.canEdit" class="button main" to="/set-up">Set up a campaign</RouterLink>
        </StateBlock>
      </template>
      <template #name="{ row }">
        <RouterLink class="name" :to="`/campaigns/${row.id}`">{{ row.part.body.name }}</RouterLink>
        <span v-if="row.part.state !== 'live'" class="quiet">
          · {{ row.part.state === 'paused' ? 'paused' : 'archived' }}</span
        >
      </template>
      <template #verdict="{ row }"
        ><VerdictMark
          v-if="row.verdict"
          :verdict="row.verdict"
          :of="row.part.body.name"
          :currency="session.desk.currency"
      /></template>
      <template #profitMicros="{ row }"
        ><SignedMoney v-if="row.figures" :micros="row.figures.profitMicros" /><span v-else class="quiet"
          >–</span
        ></template
      >
      <template #bar="{ row }"
        ><ProfitBar
          v-if="row.figures"
          :micros="row.figures.profitMicros"
          :most="Math.max(...profits)"
          :least="Math.min(...profits)"
      /></template>
      <template #onHoldMicros="{ row }"><HoldMoney :micros="row.figures?.onHoldMicros ?? '0'" /></template>
      <template v-for="name in plain" :key="name" #[name]="{ row }">{{
        figureText(name, row.figures)
      }}</template>
      <template #copy="{ row }"
        ><CopyButton
          class="small"
          :text="link(row)"
          label="Link"
          :aria-label="`Copy the tracking link of ${row.part.body.name}`"
      /></template>
      <template v-if="hasTotal" #total-name>{{
        list.isNarrowed.value ? `These ${rows.length} campaigns` : 'All campaigns'
      }}</template>
      <template v-if="hasTotal" #total-profitMicros><SignedMoney :micros="total!.profitMicros" /></template>
      <template v-if="hasTotal" #total-onHoldMicros><HoldMoney :micros="total!.onHoldMicros" /></template>
      <template v-for="name in hasTotal ? plain : []" :key="name" #[`total-${name}`]>{{
        figureText(name, total)
      }}</template>
    </ListTable>
    <p v-if="withoutCost > 0 && hasTotal" class="quiet pad">
      {{ withoutCost === 1 ? '1 campaign has' : `${withoutCost} campaigns have` }} no known cost and
      {{ withoutCost === 1 ? 'is' : 'are' }} not in the totals of profit and ROI.
    </p>
    <p v-if="ofPartners && hasTotal" class="quiet pad">
      Partners brought
      {{ ofPartners.conversions === 1 ? '1 conversion' : `${ofPartners.conversions} conversions` }} without a
      campaign. The total includes them.
    </p>
    <p v-if="totalBefore && total" class="quiet pad" role="note" aria-label="Comparison">
      Against {{ dayRange(before.from, before.to) }}:
      <span v-for="c in compared" :key="c.label" class="compared">{{ c.label }} {{ c.words }}</span>
    </p>
  </section>
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
.compared {
  margin-left: 12px;
  white-space: nowrap;
}
.name {
  white-space: nowrap;
}
.small {
  min-height: 26px;
  padding: 1px 8px;
  font-size: 12px;
}
</style>
