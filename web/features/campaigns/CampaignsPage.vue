<script setup lang="ts">
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import InputText from 'primevue/inputtext';
import type { CampaignsReport, Figures, PartRecord } from '@tracheon/core/contract';
import { trackingLink } from '@tracheon/core/links';
import { Plus } from '@lucide/vue';
import { computed, onMounted, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { ask } from '../../app/api.ts';
import { useKeys } from '../../app/keys.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import CopyButton from '../../ui/CopyButton.vue';
import { count, dayRange, money, percent } from '../../ui/format.ts';
import HoldMoney from '../../ui/HoldMoney.vue';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import LiveMark from '../../shared/LiveMark.vue';
import PageHead from '../../ui/PageHead.vue';
import PeriodChoice from '../../shared/PeriodChoice.vue';
import { period, stepsBack } from '../../shared/period.ts';
import ProfitBar from '../../ui/ProfitBar.vue';
import SignedMoney from '../../ui/SignedMoney.vue';
import StateBlock from '../../ui/StateBlock.vue';
import BulkBar from '../bulk/BulkBar.vue';

interface Row {
  id: string;
  part: PartRecord<'campaign'>;
  figures: Figures | null;
}
const parts = useParts();
const session = useSession();
const router = useRouter();
const report = ref<CampaignsReport | null>(null);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const search = ref('');
const archived = ref(false);

async function load(): Promise<void> {
  try {
    report.value = await ask('campaignsReport', {
      query: { period: period.value, back: stepsBack.value },
    });
    state.value = 'ready';
  } catch (error) {
    failure.value = (error as Error).message;
    state.value = 'failed';
  }
}
onMounted(load);
watch([period, stepsBack], load);
onNews(['visits', 'conversions', 'parts'], load, 1200);

const rows = computed<Row[]>(() =>
  parts.of('campaign', archived.value).map((part) => ({
    id: part.id,
    part,
    figures: report.value?.rows.find((r) => r.campaignId === part.id)?.figures ?? null,
  })),
);
const profits = computed(() => rows.value.map((r) => Number(r.figures?.profitMicros ?? 0)));
const big = (pick: (f: Figures) => string) => (r: Row) => (r.figures ? BigInt(pick(r.figures)) : 0n);
const picked = ref<string[]>([]);
const hasTotal = computed(() => report.value !== null && rows.value.length > 1);
const chosen = computed(() => rows.value.filter((r) => picked.value.includes(r.id)).map((r) => r.part));
const many = ref<InstanceType<typeof BulkBar> | null>(null);
const columns: Column<Row>[] = [
  { key: 'name', label: 'Campaign', sort: (r) => r.part.body.name },
  {
    key: 'profit',
    label: 'Profit',
    num: true,
    sort: big((f) => f.profitMicros),
    explain: 'Expected revenue minus cost, by the day of the visit',
  },
  { key: 'bar', label: '(profit bar)' },
  { key: 'roi', label: 'ROI', num: true, sort: (r) => r.figures?.roi ?? -Infinity },
  { key: 'spent', label: 'Spent', num: true, sort: big((f) => f.spentMicros) },
  {
    key: 'expected',
    label: 'Expected',
    num: true,
    sort: big((f) => f.expectedMicros),
    explain: 'Earned revenue plus revenue on hold × approval rate',
  },
  { key: 'earned', label: 'Earned', num: true, sort: big((f) => f.earnedMicros) },
  { key: 'hold', label: 'On hold', num: true, sort: big((f) => f.onHoldMicros) },
  { key: 'visits', label: 'Visits', num: true, sort: (r) => r.figures?.visits ?? 0 },
  { key: 'sent', label: 'Sent to offer', num: true, sort: (r) => r.figures?.sentToOffer ?? 0 },
  { key: 'conv', label: 'Conv.', num: true, sort: (r) => r.figures?.conversions ?? 0 },
  { key: 'paid', label: 'Paid/visit', num: true, sort: big((f) => f.paidPerVisitMicros ?? '0') },
  { key: 'epv', label: 'Earned/visit', num: true, sort: big((f) => f.earnedPerVisitMicros ?? '0') },
  { key: 'copy', label: '(copy the link)' },
];
const link = (r: Row): string => {
  const source = parts.one('source', r.part.body.sourceId);
  return source ? trackingLink(session.me?.trackingOrigin ?? '', r.part.key, source.body) : '';
};
const each = (micros: string | null | undefined): string => (micros ? money(micros, 4) : '–');
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
    <div class="row">
      <Button variant="link" @click="many?.show('changes')">Bulk changes</Button>
      <label class="row quiet"><Checkbox v-model="archived" binary /> Show archived</label>
      <InputText
        v-model="search"
        class="search"
        type="search"
        placeholder="Search campaigns"
        aria-label="Search campaigns"
      />
    </div>
  </div>
  <BulkBar ref="many" :chosen="chosen" @done="picked = []" />
  <section class="sheet" aria-label="Campaigns">
    <ListTable
      :rows="rows"
      :columns="columns"
      :state="state === 'ready' ? parts.state : state"
      :failure="failure || parts.failure"
      v-model:chosen="picked"
      name="campaigns"
      label="Campaigns"
      :choose-as="(r) => r.part.body.name"
      sort-by="-profit"
      :search="search"
      :text="(r) => r.part.body.name"
      @again="load"
    >
      <template #empty>
        <StateBlock
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
      <template #profit="{ row }"
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
      <template #roi="{ row }">{{ percent(row.figures?.roi ?? null, 0, true) }}</template>
      <template #spent="{ row }">{{ row.figures ? money(row.figures.spentMicros) : '–' }}</template>
      <template #expected="{ row }">{{ row.figures ? money(row.figures.expectedMicros) : '–' }}</template>
      <template #earned="{ row }">{{ row.figures ? money(row.figures.earnedMicros) : '–' }}</template>
      <template #hold="{ row }"><HoldMoney :micros="row.figures?.onHoldMicros ?? '0'" /></template>
      <template #visits="{ row }">{{ count(row.figures?.visits ?? 0) }}</template>
      <template #sent="{ row }">{{ count(row.figures?.sentToOffer ?? 0) }}</template>
      <template #conv="{ row }">{{ count(row.figures?.conversions ?? 0) }}</template>
      <template #paid="{ row }">{{ each(row.figures?.paidPerVisitMicros) }}</template>
      <template #epv="{ row }">{{ each(row.figures?.earnedPerVisitMicros) }}</template>
      <template #copy="{ row }"
        ><CopyButton
          class="small"
          :text="link(row)"
          label="Link"
          :aria-label="`Copy the tracking link of ${row.part.body.name}`"
      /></template>
      <template v-if="hasTotal" #total-name>All campaigns</template>
      <template v-if="hasTotal" #total-profit><SignedMoney :micros="report!.total.profitMicros" /></template>
      <template v-if="hasTotal" #total-roi>{{ percent(report!.total.roi, 0, true) }}</template>
      <template v-if="hasTotal" #total-spent>{{ money(report!.total.spentMicros) }}</template>
      <template v-if="hasTotal" #total-expected>{{ money(report!.total.expectedMicros) }}</template>
      <template v-if="hasTotal" #total-earned>{{ money(report!.total.earnedMicros) }}</template>
      <template v-if="hasTotal" #total-hold><HoldMoney :micros="report!.total.onHoldMicros" /></template>
      <template v-if="hasTotal" #total-visits>{{ count(report!.total.visits) }}</template>
      <template v-if="hasTotal" #total-sent>{{ count(report!.total.sentToOffer) }}</template>
      <template v-if="hasTotal" #total-conv>{{ count(report!.total.conversions) }}</template>
      <template v-if="hasTotal" #total-paid>{{ each(report!.total.paidPerVisitMicros) }}</template>
      <template v-if="hasTotal" #total-epv>{{ each(report!.total.earnedPerVisitMicros) }}</template>
    </ListTable>
  </section>
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
.search {
  width: 200px;
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
