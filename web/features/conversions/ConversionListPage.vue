<script setup lang="ts">
import { formatAmount } from '@tracheon/core/money';
import Button from 'primevue/button';
import { statuses, statusOf, type ConversionRow } from '@tracheon/core/contract';
import { parseClickId } from '@tracheon/core/identity';
import { computed, ref } from 'vue';
import { Plus } from '@lucide/vue';
import { useRoute } from 'vue-router';
import { useKeys } from '../../app/keys.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { countryName, money, moment } from '../../ui/format.ts';
import type { Column } from '../../ui/tableColumns.ts';
import StateBlock from '../../ui/StateBlock.vue';
import StatusMark from '../../ui/StatusMark.vue';
import VisitSheet from '../../shared/VisitSheet.vue';
import ServerList from '../../shared/ServerList.vue';
import { useList } from '../../shared/useList.ts';
import AddByHand from './AddByHand.vue';
import ChangeByHand from './ChangeByHand.vue';
import ConversionSheet from './ConversionSheet.vue';
import ConversionsHead from './ConversionsHead.vue';
import ReviewPayout from './ReviewPayout.vue';
import { between } from './conversionWords.ts';
import BatchRuns from './repair/BatchRuns.vue';
import { partFilter, wordsFilter } from './filters.ts';

const session = useSession();
const parts = useParts();
const list = useList('listConversions', [
  'kind',
  'campaign',
  'offer',
  'network',
  'tests',
  'partner',
  'payout',
]);
const filters = computed(() => [
  wordsFilter('Status', statuses),
  partFilter('campaign', 'campaign', 'Campaign'),
  partFilter('offer', 'offer', 'Offer'),
  partFilter('network', 'network', 'Network'),
  {
    name: 'tests',
    label: 'Tests',
    options: [
      { value: 'none', label: 'without tests' },
      { value: 'only', label: 'tests only' },
    ],
  },
  // Only a desk with partners pays any.
  ...(parts.of('partner', true).length === 0
    ? []
    : [
        partFilter('partner', 'partner', 'Partner'),
        {
          name: 'payout',
          label: 'Partner payout',
          options: [
            { value: 'any', label: 'with a payout' },
            ...statuses.map((s) => ({ value: s as string, label: `payout ${s}` })),
          ],
        },
      ]),
]);
onNews(['conversions'], list.load);
/** The trail of a click ID; the conversion that is opened. */
const chosen = ref('');
const open = ref(false);
function show(clickId: string): void {
  chosen.value = clickId;
  open.value = true;
}
const route = useRoute();
const opened = ref(String(route.query.open ?? ''));
const isOpened = ref(opened.value !== '');
function openOne(id: string): void {
  opened.value = id;
  isOpened.value = true;
}
const adds = ref(false);
/** Which form for all of the list is open. */
const form = ref<'' | 'change' | 'review'>('');
const toggle = (which: 'change' | 'review'): void => void (form.value = form.value === which ? '' : which);
const query = computed(() => ({ ...list.chosen, search: list.search.value }));
/** Only those for which somebody is paid can be reviewed. */
const payable = computed(() => ({ ...query.value, payout: query.value.payout || 'any' }));
useKeys([{ key: 'n', words: 'Add a conversion', run: () => (adds.value = session.canEdit) }]);
const named = (values: Record<string, string>): string =>
  Object.entries(values)
    .map(([name, value]) => `${name} ${value}`)
    .join(', ');
/** By its name; by the ID that its advertiser told, where the desk has no such partner. */
const partnerOf = (r: ConversionRow): string => r.partnerName || r.partnerId;
const columns: Column<ConversionRow>[] = [
  { key: 'at', label: 'Time', sort: (r) => r.at, fixed: true },
  { key: 'status', label: 'Status', sort: (r) => r.status },
  {
    key: 'payout',
    label: 'Payout',
    num: true,
    sort: (r) => BigInt(r.payoutMicros),
    csv: (r) => formatAmount(BigInt(r.payoutMicros)),
  },
  {
    key: 'base',
    label: `In ${session.desk.currency}`,
    num: true,
    sort: (r) => BigInt(r.baseMicros ?? '0'),
    csv: (r) => (r.baseMicros === null ? '' : formatAmount(BigInt(r.baseMicros))),
    explain: 'Amount on hold or earned, converted at the rate of the conversion’s day',
  },
  { key: 'event', label: 'Event', sort: (r) => r.eventName },
  { key: 'campaign', label: 'Campaign', sort: (r) => r.campaignName },
  { key: 'offer', label: 'Offer', sort: (r) => r.offerName },
  { key: 'transaction', label: 'Transaction', sort: (r) => r.transaction },
  { key: 'click', label: 'Click ID', csv: (r) => r.clickId },
  { key: 'partner', label: 'Partner', optional: true, csv: (r) => partnerOf(r) },
  {
    key: 'partnerPayout',
    label: 'Partner payout',
    num: true,
    optional: true,
    csv: (r) => (r.partnerMicros === null ? '' : formatAmount(BigInt(r.partnerMicros))),
  },
  {
    key: 'partnerStatus',
    label: 'Payout status',
    optional: true,
    csv: (r) => r.partnerStatus ?? '',
  },
  { key: 'visitAt', label: 'Visit time', optional: true, csv: (r) => r.visitAt },
  { key: 'between', label: 'Visit to conversion', optional: true, csv: (r) => between(r.visitAt, r.at) },
  { key: 'source', label: 'Source', optional: true, csv: (r) => r.sourceName },
  { key: 'sourceClick', label: 'Source click ID', optional: true, csv: (r) => r.sourceClickId },
  { key: 'network', label: 'Network', optional: true, csv: (r) => r.networkName },
  { key: 'landing', label: 'Landing page', optional: true, csv: (r) => r.landingName },
  { key: 'branch', label: 'Branch', optional: true, csv: (r) => r.branchId },
  { key: 'pairing', label: 'Pairing', optional: true, csv: (r) => r.pairingId },
  { key: 'country', label: 'Country', optional: true, csv: (r) => r.country },
  { key: 'device', label: 'Device', optional: true, csv: (r) => r.device },
  { key: 'subs', label: 'Sub-IDs', optional: true, csv: (r) => named(r.subs) },
  { key: 'extras', label: 'Extras', optional: true, csv: (r) => named(r.extras) },
  { key: 'sent', label: 'Sent to source', optional: true, csv: (r) => r.sentState },
];
const flagWords: Record<string, string> = {
  no_payout: 'the postback had no payout',
  payout_differs: 'the reported payout differs from the fixed one',
  no_sale: 'the postback had no sale amount, so the partner’s payout is 0',
  move_not_allowed: 'Tracheon did not apply a later postback',
  partner_without_access: 'the partner had no access to this offer, so its payout waits for a review',
  from_fallback: 'the visit was sent to a fallback URL, not to an offer',
  carried_over: 'the click ID was carried over from an earlier tracker',
  amount_too_large: 'a postback would have made the sum too large',
};
</script>
<template>
  <ConversionsHead
    v-model:search="list.search.value"
    v-model:chosen="list.chosen"
    title="Conversions"
    says="Every conversion once, with its status and payout."
    :filters="filters"
  >
    <Button v-if="session.canEdit" severity="secondary" @click="toggle('change')">Change all …</Button>
    <Button
      v-if="session.canEdit && parts.of('partner', true).length > 0"
      severity="secondary"
      @click="toggle('review')"
      >Review payouts …</Button
    >
    <Button v-if="session.canEdit" severity="secondary" @click="adds = true"
      ><Plus :size="15" aria-hidden="true" /> Add conversion <kbd>N</kbd></Button
    >
  </ConversionsHead>
  <ChangeByHand
    v-if="form === 'change'"
    class="all"
    :query="query"
    @changed="list.load"
    @cancel="form = ''"
  />
  <ReviewPayout
    v-if="form === 'review'"
    class="all"
    :query="payable"
    @changed="list.load"
    @cancel="form = ''"
  />
  <ServerList
    :list="list"
    :columns="columns"
    name="conversions"
    label="Conversions"
    :pick="(row: ConversionRow) => openOne(row.id)"
  >
    <template #empty>
      <StateBlock
        state="empty"
        :title="list.isNarrowed.value ? 'No conversion matches' : 'No conversion yet'"
        words="A conversion appears here when a network sends a postback with one of our click IDs. Postbacks that Tracheon could not match are under Postbacks in."
      >
        <RouterLink to="/conversions/postbacks-in">Open Postbacks in</RouterLink>
      </StateBlock>
    </template>
    <template #at="{ row }"
      ><Button variant="link" class="nowrap" @click.stop="openOne(row.id)">{{
        moment(row.at, session.desk.zone)
      }}</Button></template
    >
    <template #status="{ row }"
      ><StatusMark :word="row.status" /><span v-if="row.isTest" class="quiet"> test</span
      ><span v-for="f in row.flags" :key="f" class="quiet explained" :title="flagWords[f] ?? f" tabindex="0">
        flagged<span class="visually-hidden">: {{ flagWords[f] ?? f }}</span></span
      ></template
    >
    <template #payout="{ row }"
      >{{ money(row.payoutMicros) }} {{ row.currency
      }}<span v-if="row.notedMicros !== null" class="quiet noted"
        >noted: {{ money(row.notedMicros) }} {{ row.notedCurrency }}</span
      ><span v-if="row.partnerStatus !== null" class="quiet noted"
        >partner: {{ money(row.partnerMicros!) }} {{ row.partnerCurrency }} {{ row.partnerStatus }}</span
      ></template
    >
    <template #base="{ row }"
      ><span :class="{ hold: statusOf[row.status].balance === 'hold' }">{{
        row.baseMicros === null ? 'no rate' : money(row.baseMicros)
      }}</span></template
    >
    <template #event="{ row }">{{ row.eventName }}</template>
    <template #campaign="{ row }"
      ><RouterLink v-if="row.campaignId" class="nowrap" :to="`/campaigns/${row.campaignId}`">{{
        row.campaignName
      }}</RouterLink
      ><span v-else class="quiet nowrap">partner {{ partnerOf(row) }}</span></template
    >
    <template #offer="{ row }"><span class="nowrap">{{ row.offerName }}</span></template>
    <template #transaction="{ row }"><code>{{ row.transaction || '–' }}</code></template>
    <template #click="{ row }"
      ><Button
        v-if="parseClickId(row.clickId)"
        variant="link"
        :title="`Trail of ${row.clickId}`"
        @click.stop="show(row.clickId)"
      >
        <span class="visually-hidden">Trail of </span><code>…{{ row.clickId.slice(-6) }}</code></Button
      ><code v-else :title="row.clickId">{{
        row.clickId ? `…${row.clickId.slice(-6)}` : '–'
      }}</code></template
    >
    <template #partner="{ row }">{{ partnerOf(row) || '–' }}</template>
    <template #partnerPayout="{ row }">{{
      row.partnerMicros === null ? '–' : `${money(row.partnerMicros)} ${row.partnerCurrency}`
    }}</template>
    <template #partnerStatus="{ row }"
      ><StatusMark v-if="row.partnerStatus" :word="row.partnerStatus" /><span v-else class="quiet"
        >–</span
      ></template
    >
    <template #visitAt="{ row }">{{ moment(row.visitAt, session.desk.zone) }}</template>
    <template #between="{ row }">{{ between(row.visitAt, row.at) }}</template>
    <template #source="{ row }">{{ row.sourceName }}</template>
    <template #sourceClick="{ row }"><code>{{ row.sourceClickId || '–' }}</code></template>
    <template #network="{ row }">{{ row.networkName }}</template>
    <template #landing="{ row }">{{ row.landingName || 'direct link' }}</template>
    <template #branch="{ row }">{{ row.branchId }}</template>
    <template #pairing="{ row }">{{ row.pairingId }}</template>
    <template #country="{ row }">{{ row.country ? countryName(row.country) : '–' }}</template>
    <template #device="{ row }">{{ row.device || '–' }}</template>
    <template #subs="{ row }">{{ named(row.subs) || '–' }}</template>
    <template #extras="{ row }">{{ named(row.extras) || '–' }}</template>
    <template #sent="{ row }"
      ><StatusMark v-if="row.sentState" :word="row.sentState" /><span v-else class="quiet">{{
        row.isReported === false ? 'not reported' : '–'
      }}</span></template
    >
  </ServerList>
  <BatchRuns class="all" title="Latest changes by hand" :kinds="['hand']" @changed="list.load" />
  <ConversionSheet
    v-if="opened"
    :id="opened"
    v-model:open="isOpened"
    @changed="list.load"
    @trail="show"
    @open="openOne"
  />
  <AddByHand
    v-if="adds"
    v-model:open="adds"
    @added="
      (id) => {
        void list.load();
        openOne(id);
      }
    "
  />
  <VisitSheet v-if="chosen" v-model:open="open" :click-id="chosen" />
</template>
<style scoped src="./lists.css"></style>
<style scoped>
.all {
  margin: 10px 0;
}
.noted {
  display: block;
  font-size: 11.5px;
}
</style>
