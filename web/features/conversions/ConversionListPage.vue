<script setup lang="ts">
import Button from 'primevue/button';
import { statuses, statusOf, type ConversionRow } from '@tracheon/core/contract';
import { computed, ref } from 'vue';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { money, moment } from '../../ui/format.ts';
import type { Column } from '../../ui/tableColumns.ts';
import StateBlock from '../../ui/StateBlock.vue';
import StatusMark from '../../ui/StatusMark.vue';
import VisitSheet from '../../shared/VisitSheet.vue';
import ServerList from '../../shared/ServerList.vue';
import { useList } from '../../shared/useList.ts';
import ConversionsHead from './ConversionsHead.vue';
import { partFilter, wordsFilter } from './filters.ts';

const session = useSession();
const list = useList('listConversions', ['kind', 'campaign', 'offer', 'network', 'tests']);
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
]);
onNews(['conversions'], list.load);
const chosen = ref('');
const open = ref(false);
function show(row: ConversionRow): void {
  chosen.value = row.clickId;
  open.value = true;
}
const columns: Column<ConversionRow>[] = [
  { key: 'at', label: 'Time', sort: (r) => r.at, fixed: true },
  { key: 'status', label: 'Status', sort: (r) => r.status },
  { key: 'payout', label: 'Payout', num: true, sort: (r) => BigInt(r.payoutMicros) },
  {
    key: 'base',
    label: `In ${session.desk.currency}`,
    num: true,
    sort: (r) => BigInt(r.baseMicros ?? '0'),
    explain: 'Amount on hold or earned, converted at the rate of the conversion’s day',
  },
  { key: 'event', label: 'Event', sort: (r) => r.eventName },
  { key: 'campaign', label: 'Campaign', sort: (r) => r.campaignName },
  { key: 'offer', label: 'Offer', sort: (r) => r.offerName },
  { key: 'transaction', label: 'Transaction', sort: (r) => r.transaction },
  { key: 'click', label: 'Click ID', csv: (r) => r.clickId },
];
const flagWords: Record<string, string> = {
  no_payout: 'the postback had no payout',
  payout_differs: 'the reported payout differs from the fixed one',
  move_not_allowed: 'Tracheon did not apply a later postback',
  from_fallback: 'the visit was sent to a fallback URL, not to an offer',
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
  />
  <ServerList :list="list" :columns="columns" name="conversions" label="Conversions">
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
      ><span class="nowrap">{{ moment(row.at, session.desk.zone) }}</span></template
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
      ></template
    >
    <template #base="{ row }"
      ><span :class="{ hold: statusOf[row.status].balance === 'hold' }">{{
        row.baseMicros === null ? 'no rate' : money(row.baseMicros)
      }}</span></template
    >
    <template #event="{ row }">{{ row.eventName }}</template>
    <template #campaign="{ row }"
      ><RouterLink class="nowrap" :to="`/campaigns/${row.campaignId}`">{{
        row.campaignName
      }}</RouterLink></template
    >
    <template #offer="{ row }"
      ><span class="nowrap">{{ row.offerName }}</span></template
    >
    <template #transaction="{ row }"
      ><code>{{ row.transaction || '–' }}</code></template
    >
    <template #click="{ row }"
      ><Button variant="link" :title="`Trail of ${row.clickId}`" @click="show(row)">
        <span class="visually-hidden">Trail of </span><code>…{{ row.clickId.slice(-6) }}</code>
      </Button></template
    >
  </ServerList>
  <VisitSheet v-if="chosen" v-model:open="open" :click-id="chosen" />
</template>
<style scoped src="./lists.css"></style>
<style scoped>
.noted {
  display: block;
  font-size: 11.5px;
}
</style>
