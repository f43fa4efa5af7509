<script setup lang="ts">
/** The partner's conversions, newest first: what each pays, and why a payout was decided as it was. */
import { toldStatuses, type OwnConversion } from '@tracheon/core/contract/partnerPage';
import { computed, ref, watch } from 'vue';
import { newest } from '../base/newest.ts';
import { moment, money } from '../ui/format.ts';
import ListTable from '../ui/ListTable.vue';
import MoreRows from '../ui/MoreRows.vue';
import PageHead from '../ui/PageHead.vue';
import SegmentChoice from '../ui/SegmentChoice.vue';
import StateBlock from '../ui/StateBlock.vue';
import StatusMark from '../ui/StatusMark.vue';
import type { Column } from '../ui/tableColumns.ts';
import { ask } from './ask.ts';
import { zone } from './me.ts';

const chosen = ref<'all' | OwnConversion['status']>('all');
const status = computed(() => (chosen.value === 'all' ? '' : chosen.value));
const choices = [
  { value: 'all' as const, label: 'All' },
  ...toldStatuses.map((value) => ({ value, label: value.charAt(0).toUpperCase() + value.slice(1) })),
];
const rows = ref<OwnConversion[]>([]);
const next = ref<string | null>(null);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const moreFailure = ref('');
const asks = newest();
async function load(): Promise<void> {
  state.value = 'loading';
  await asks(
    ask('conversions', { query: { status: status.value } }),
    (page) => {
      rows.value = page.rows;
      next.value = page.next;
      state.value = 'ready';
    },
    (why) => {
      failure.value = why;
      state.value = 'failed';
    },
  );
}
watch(status, load, { immediate: true });
async function more(): Promise<void> {
  if (next.value === null) return;
  const asked = status.value;
  try {
    const page = await ask('conversions', { query: { status: asked, cursor: next.value } });
    if (asked !== status.value) return;
    rows.value = [...rows.value, ...page.rows];
    next.value = page.next;
    moreFailure.value = '';
  } catch (error) {
    moreFailure.value = (error as Error).message;
  }
}
const subsOf = (r: OwnConversion): string =>
  [
    ...(r.clickId === '' ? [] : [`click ID ${r.clickId}`]),
    ...Object.entries(r.subs).map(([sub, value]) => `${sub} ${value}`),
  ].join(', ');
/** What happens next, or why it is as it is. */
function remark(r: OwnConversion): string {
  if (r.reason !== '') return r.reason;
  return r.status === 'pending' && r.dueAt
    ? `approved ${moment(r.dueAt, zone.value)} unless it is rejected`
    : '';
}
const columns = computed<Column<OwnConversion>[]>(() => [
  { key: 'at', label: 'Converted', csv: (r) => r.at },
  { key: 'offer', label: 'Offer', csv: (r) => r.offerName },
  { key: 'event', label: 'Event', csv: (r) => r.eventName },
  { key: 'status', label: 'Status', csv: (r) => r.status },
  { key: 'payout', label: 'Payout', num: true, csv: (r) => `${money(r.payoutMicros)} ${r.currency}` },
  { key: 'remark', label: 'Remark', csv: remark },
  { key: 'subs', label: 'Sub-IDs', csv: subsOf },
]);
</script>
<template>
  <PageHead title="Conversions" says="What your links have sold, and what you get for each.">
    <SegmentChoice v-model="chosen" :options="choices" label="Status" />
  </PageHead>
  <section class="sheet" aria-label="Conversions">
    <ListTable
      :rows="rows"
      :columns="columns"
      label="Conversions"
      :state="state"
      :failure="failure"
      @again="load"
    >
      <template #empty
        ><StateBlock
          state="empty"
          title="No conversions"
          :words="
            status === ''
              ? 'A conversion appears here as soon as the advertiser tells it.'
              : 'None of your conversions has this status.'
          "
      /></template>
      <template #at="{ row }"><span class="nowrap">{{ moment(row.at, zone) }}</span></template>
      <template #offer="{ row }">{{ row.offerName }}</template>
      <template #event="{ row }">{{ row.eventName }}</template>
      <template #status="{ row }"><StatusMark :word="row.status" /></template>
      <template #payout="{ row }"
        ><span class="nowrap">{{ money(row.payoutMicros) }} {{ row.currency }}</span></template
      >
      <template #remark="{ row }">{{ remark(row) }}</template>
      <template #subs="{ row }">{{ subsOf(row) }}</template>
    </ListTable>
    <MoreRows :next="next" :failure="moreFailure" @more="more" />
  </section>
</template>
<style scoped>
.nowrap {
  white-space: nowrap;
}
</style>
