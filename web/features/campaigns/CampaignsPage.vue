<script setup lang="ts">
import Button from 'primevue/button';
import { adLink } from '@tracheon/core/links';
import { ChevronDown, ChevronRight, Plus } from '@lucide/vue';
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';
import { useKeys } from '../../app/keys.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import CopyButton from '../../ui/CopyButton.vue';
import EstimatedNote from '../../ui/EstimatedNote.vue';
import { dayRange } from '../../ui/format.ts';
import { changeWords, figureCells } from '../../ui/figureCells.ts';
import { figureText } from '../../ui/figureColumns.ts';
import HoldMoney from '../../ui/HoldMoney.vue';
import ListTable from '../../ui/ListTable.vue';
import ListHead from '../../shared/ListHead.vue';
import LiveMark from '../../shared/LiveMark.vue';
import PageHead from '../../ui/PageHead.vue';
import PeriodChoice from '../../shared/PeriodChoice.vue';
import BuildingNote from '../../shared/BuildingNote.vue';
import { usePeriod } from '../../shared/period.ts';
import PickOne from '../../ui/PickOne.vue';
import ProfitBar from '../../ui/ProfitBar.vue';
import SignedMoney from '../../ui/SignedMoney.vue';
import StateBlock from '../../ui/StateBlock.vue';
import TrendBars from '../../ui/TrendBars.vue';
import VerdictMark from '../../ui/VerdictMark.vue';
import BulkBar from './bulk/BulkBar.vue';
import { campaignColumns, plain, textColumns, TREND_DAYS } from './campaignColumns.ts';
import type { ListedRow } from './groupRows.ts';
import { useCampaignRows } from './useCampaignRows.ts';
import { useGroups } from './useGroups.ts';

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
const columns = campaignColumns(parts);
const { groupBy, grouping, groupChoices, closed, toggle, sort, listed, chosen } = useGroups(
  rows,
  picked,
  columns,
);
const many = ref<InstanceType<typeof BulkBar> | null>(null);
const link = ({ part }: ListedRow): string => {
  const source = part && parts.one('source', part.body.sourceId);
  return source
    ? adLink(session.me?.trackingOrigin ?? '', part, source.body, (id) => parts.one('landing-page', id))
    : '';
};
const textOf = (column: string, row: ListedRow): string =>
  String(columns.find((c) => c.key === column)?.csv?.(row) ?? '');
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
  <div class="row spread bar wrap">
    <ListHead
      v-model:search="list.search.value"
      v-model:chosen="list.chosen"
      :filters="list.filters.value"
      searches="campaigns"
      placeholder="Search campaigns"
    />
    <PickOne v-model="groupBy" aria-label="Group by" :options="groupChoices" class="groups" />
  </div>
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
      :rows="listed"
      :row-key="(r) => r.key"
      :columns="columns"
      :state="report || list.failure.value || parts.state === 'failed' ? parts.state : 'loading'"
      :failure="parts.failure"
      v-model:chosen="picked"
      name="campaigns"
      label="Campaigns"
      :choose-as="(r) => (r.kind === 'group' ? `all campaigns of ${r.name}` : r.name)"
      :sort-by="sort"
      :sorts-on-server="grouping !== null"
      @sort="sort = $event"
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
        <template v-if="!row.part">
          <Button
            variant="text"
            class="opener"
            :aria-expanded="!closed.has(row.key)"
            :aria-label="`Campaigns of ${row.name}`"
            @click="toggle(row)"
          >
            <component :is="closed.has(row.key) ? ChevronRight : ChevronDown" :size="14" aria-hidden="true" />
          </Button>
          <strong>{{ row.name }}</strong> <span class="quiet">{{ row.count }}</span>
        </template>
        <RouterLink
          v-else
          class="name"
          :class="{ inGroup: row.isGrouped }"
          :to="`/campaigns/${row.part.id}`"
          >{{ row.name }}</RouterLink
        >
        <span v-if="row.part && row.part.state !== 'live'" class="quiet">
          · {{ row.part.state === 'paused' ? 'paused' : 'archived' }}</span
        >
      </template>
      <template #verdict="{ row }"
        ><VerdictMark
          v-if="row.verdict"
          :verdict="row.verdict"
          :of="row.name"
          :currency="session.desk.currency"
      /></template>
      <template #profitMicros="{ row }"
        ><SignedMoney v-if="row.figures" :micros="row.figures.profitMicros" /><span
          v-else-if="report"
          class="quiet"
          >–</span
        ></template
      >
      <template #bar="{ row }"
        ><ProfitBar
          v-if="row.figures && row.part"
          :micros="row.figures.profitMicros"
          :most="Math.max(...profits)"
          :least="Math.min(...profits)"
      /></template>
      <template #onHoldMicros="{ row }"
        ><HoldMoney v-if="report" :micros="row.figures?.onHoldMicros ?? '0'"
      /></template>
      <template v-for="name in plain" :key="name" #[name]="{ row }"
        ><EstimatedNote v-if="name === 'expectedMicros'" :figures="row.figures ?? null" />{{
          // A dash means that there is no figure. Before the report has come, a cell says nothing.
          report ? figureText(name, row.figures) : ''
        }}</template
      >
      <template #trend="{ row }"
        ><TrendBars
          v-if="row.trend.length > 0"
          :values="row.trend"
          :label="`Profit of ${TREND_DAYS} days of ${row.name}`"
      /></template>
      <template v-for="name in textColumns" :key="name" #[name]="{ row }"
        ><span class="text" :title="textOf(name, row)">{{ textOf(name, row) }}</span></template
      >
      <template #copy="{ row }"
        ><CopyButton
          v-if="row.part"
          class="small"
          :text="link(row)"
          label="Link"
          :aria-label="`Copy the tracking link of ${row.name}`"
      /></template>
      <template v-if="hasTotal" #total-name>{{
        list.isNarrowed.value
          ? rows.length === 1
            ? 'This campaign'
            : `These ${rows.length} campaigns`
          : 'All campaigns'
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
.inGroup {
  margin-left: 24px;
}
.opener {
  padding: 0 2px;
}
.groups {
  width: auto;
}
.text {
  display: block;
  max-width: 240px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.small {
  min-height: 26px;
  padding: 1px 8px;
  font-size: 12px;
}
</style>
