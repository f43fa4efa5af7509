<script setup lang="ts">
/** What the partner is owed, and the statements so far. */
import type { OwnStatement } from '@tracheon/core/contract/partnerPage';
import { localDay } from '@tracheon/core/time';
import { computed } from 'vue';
import { useRouter } from 'vue-router';
import { useAnswer } from '../base/useAnswer.ts';
import { count, dayName, money } from '../ui/format.ts';
import ListTable from '../ui/ListTable.vue';
import PageHead from '../ui/PageHead.vue';
import StateBlock from '../ui/StateBlock.vue';
import StatusMark from '../ui/StatusMark.vue';
import type { Column } from '../ui/tableColumns.ts';
import { ask } from './ask.ts';
import { zone } from './me.ts';

const router = useRouter();
const { answer, failure, load } = useAnswer(
  () => 'statements',
  () => ask('statements'),
);
const columns: Column<OwnStatement>[] = [
  { key: 'number', label: 'Statement', sort: (r) => r.number },
  { key: 'until', label: 'Booked up to', sort: (r) => r.until },
  { key: 'conversions', label: 'Conversions', num: true, sort: (r) => r.conversions },
  { key: 'amount', label: 'To pay', num: true, sort: (r) => BigInt(r.paidMicros) },
  { key: 'state', label: 'State', sort: (r) => r.state },
];
const open = computed(() => answer.value?.open ?? []);
const lastDay = (until: string): string => dayName(localDay(Date.parse(until) - 1, zone.value));
</script>
<template>
  <PageHead title="Statements" says="What you earned, what is still on hold, and what was paid." />
  <StateBlock v-if="failure && !answer" class="sheet" state="failed" :words="failure" @again="load" />
  <template v-else>
    <section v-if="open.length > 0" class="sheet pad" aria-label="Not on a statement yet">
      <h2>Not on a statement yet</h2>
      <dl v-for="o in open" :key="o.id">
        <dt>Approved</dt>
        <dd>{{ money(o.openMicros) }} {{ o.currency }}</dd>
        <dt>Of it payable now</dt>
        <dd>{{ money(o.payableMicros) }} {{ o.currency }}</dd>
        <dt>On hold</dt>
        <dd>{{ money(o.onHoldMicros) }} {{ o.currency }}</dd>
        <template v-if="o.carriedMicros !== '0'">
          <dt>Rest of the last statement</dt>
          <dd>{{ money(o.carriedMicros) }} {{ o.currency }}</dd>
        </template>
      </dl>
    </section>
    <section class="sheet" aria-label="Statements">
      <ListTable
        :rows="answer?.statements ?? []"
        :columns="columns"
        label="Statements"
        :state="answer ? 'ready' : 'loading'"
        :pick="(r: OwnStatement) => router.push(`/statements/${r.id}`)"
        @again="load"
      >
        <template #empty
          ><StateBlock
            state="empty"
            title="No statements yet"
            words="A statement lists your approved conversions and what you are paid for them."
        /></template>
        <template #number="{ row }"
          ><RouterLink :to="`/statements/${row.id}`">Statement {{ row.number }}</RouterLink></template
        >
        <template #until="{ row }">{{ lastDay(row.until) }}</template>
        <template #conversions="{ row }">{{ count(row.conversions) }}</template>
        <template #amount="{ row }">{{ money(row.paidMicros) }} {{ row.currency }}</template>
        <template #state="{ row }"><StatusMark :word="row.state" /></template>
      </ListTable>
    </section>
  </template>
</template>
<style scoped>
section + section {
  margin-top: 12px;
}
dl {
  display: grid;
  grid-template-columns: minmax(140px, 240px) max-content;
  gap: 3px 16px;
  margin: 6px 0 0;
}
dl + dl {
  border-top: 1px solid var(--hairline);
  padding-top: 6px;
}
dd {
  margin: 0;
  text-align: right;
  font-variant-numeric: tabular-nums;
}
</style>
