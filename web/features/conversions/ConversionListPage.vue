<script setup lang="ts">
import Button from 'primevue/button';
import { statuses, type ConversionRow } from '@tracheon/core/contract';
import { ref } from 'vue';
import { useRoute } from 'vue-router';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { money, moment } from '../../ui/format.ts';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import MoreRows from '../../ui/MoreRows.vue';
import StateBlock from '../../ui/StateBlock.vue';
import StatusMark from '../../ui/StatusMark.vue';
import VisitSheet from '../../shared/VisitSheet.vue';
import { usePage } from '../../shared/usePage.ts';
import ConversionsHead from './ConversionsHead.vue';

const route = useRoute();
const session = useSession();
const search = ref(String(route.query.search ?? ''));
const kind = ref('');
const list = usePage<ConversionRow>('/conversions', () => ({
  search: search.value,
  kind: kind.value,
  limit: 50,
}));
onNews(['conversions'], list.load);
const chosen = ref('');
const open = ref(false);
function show(row: ConversionRow): void {
  chosen.value = row.clickId;
  open.value = true;
}
const columns: Column<ConversionRow>[] = [
  { key: 'at', label: 'Time', sort: (r) => r.at },
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
  { key: 'transaction', label: 'Transaction' },
  { key: 'click', label: 'Click ID' },
];
const flagWords: Record<string, string> = {
  no_payout: 'the postback had no payout',
  payout_differs: 'the reported payout differs from the fixed one',
  move_not_allowed: 'Tracheon did not apply a later postback',
};
</script>
<template>
  <ConversionsHead
    v-model:search="search"
    v-model:kind="kind"
    title="Conversions"
    says="Every conversion once, with its status and payout."
    :kinds="statuses"
    kind-label="Status"
  />
  <section class="sheet" aria-label="Conversions">
    <ListTable
      :rows="list.rows.value"
      :columns="columns"
      :state="list.state.value"
      :failure="list.failure.value"
      name="conversions"
      label="Conversions"
      sort-by="-at"
      :search="search"
      @again="list.load"
    >
      <template #empty>
        <StateBlock
          state="empty"
          :title="search || kind ? 'No conversion matches' : 'No conversion yet'"
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
        ><span
          v-for="f in row.flags"
          :key="f"
          class="quiet explained"
          :title="flagWords[f] ?? f"
          tabindex="0"
        >
          flagged<span class="visually-hidden">: {{ flagWords[f] ?? f }}</span></span
        ></template
      >
      <template #payout="{ row }">{{ money(row.payoutMicros) }} {{ row.currency }}</template>
      <template #base="{ row }"
        ><span :class="{ hold: row.status === 'pending' }">{{
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
    </ListTable>
    <MoreRows :next="list.next.value" :failure="list.moreFailure.value" @more="list.more" />
  </section>
  <VisitSheet v-if="chosen" v-model:open="open" :click-id="chosen" />
</template>
<style scoped src="./lists.css"></style>
