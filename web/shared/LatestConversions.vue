<script setup lang="ts">
import type { ConversionRow } from '@tracheon/core/contract';
import { useSession } from '../app/session.ts';
import { money, moment } from '../ui/format.ts';
import ListTable, { type Column } from '../ui/ListTable.vue';
import StateBlock from '../ui/StateBlock.vue';
import StatusMark from '../ui/StatusMark.vue';

const props = defineProps<{
  rows: ConversionRow[];
  state: 'loading' | 'ready' | 'failed';
  failure?: string;
  withCampaign?: boolean;
  /** A click or Enter on a row. */
  pick?: (row: ConversionRow) => void;
  /** A filter leaves rows out. */
  isNarrowed?: boolean;
}>();
defineEmits<{ again: [] }>();
const session = useSession();
const columns: Column<ConversionRow>[] = [
  { key: 'at', label: 'Time' },
  { key: 'status', label: 'Status' },
  { key: 'payout', label: 'Payout', num: true },
  { key: 'what', label: props.withCampaign ? 'Campaign' : 'Event' },
];
</script>
<template>
  <ListTable
    :rows="rows"
    :columns="columns"
    :state="state"
    :failure="failure"
    label="Latest conversions"
    :pick="pick"
    @again="$emit('again')"
  >
    <template #empty
      ><StateBlock v-if="isNarrowed" state="empty" title="No matching conversions" /><StateBlock
        v-else
        state="empty"
        title="No conversion yet"
        words="A conversion appears here within two seconds of the network’s postback."
    /></template>
    <template #at="{ row }"><span class="nowrap">{{ moment(row.at, session.desk.zone) }}</span></template>
    <template #status="{ row }"
      ><StatusMark :word="row.status" /><span v-if="row.isTest" class="quiet"> · test</span></template
    >
    <template #payout="{ row }">{{ money(row.payoutMicros) }} {{ row.currency }}</template>
    <template #what="{ row }"
      ><RouterLink v-if="withCampaign" :to="`/campaigns/${row.campaignId}`">{{ row.campaignName }}</RouterLink
      ><span v-else>{{ row.eventName }}</span></template
    >
  </ListTable>
</template>
<style scoped>
.nowrap {
  white-space: nowrap;
}
</style>
