<script setup lang="ts">
/** One statement to the partner: its sums and its lines; printed, or as a file. */
import Button from 'primevue/button';
import type { OwnLine } from '@tracheon/core/contract/partnerPage';
import { formatAmount } from '@tracheon/core/money';
import { localDay } from '@tracheon/core/time';
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';
import { useAnswer } from '../base/useAnswer.ts';
import { count, dayName, moment, money } from '../ui/format.ts';
import ListTable from '../ui/ListTable.vue';
import PageHead from '../ui/PageHead.vue';
import StateBlock from '../ui/StateBlock.vue';
import StatusMark from '../ui/StatusMark.vue';
import { sumsOf } from '../ui/statementSums.ts';
import type { Column } from '../ui/tableColumns.ts';
import { ask } from './ask.ts';
import { me, zone } from './me.ts';

const route = useRoute();
const id = computed(() => String(route.params.id));
const {
  answer: statement,
  failure,
  load,
} = useAnswer(
  () => id.value,
  (of) => ask('statement', { id: of }),
);
const lines = useAnswer(
  () => id.value,
  async (of) => {
    const all: OwnLine[] = [];
    for (let cursor: string | null = ''; cursor !== null;) {
      const page: { rows: OwnLine[]; next: string | null } = await ask('statementLines', {
        id: of,
        query: { cursor, limit: 1000 },
      });
      all.push(...page.rows);
      cursor = page.next;
    }
    return all;
  },
);
const kindOf = (l: OwnLine): string => (l.isAdjustment ? 'adjustment' : 'conversion');
const columns = computed<Column<OwnLine>[]>(() => [
  { key: 'at', label: 'Converted', csv: (r) => r.at ?? '' },
  { key: 'offer', label: 'Offer', csv: (r) => r.offerName },
  { key: 'event', label: 'Event', csv: (r) => r.eventName },
  { key: 'status', label: 'Status now', csv: (r) => r.status },
  { key: 'kind', label: 'Kind', csv: kindOf },
  {
    key: 'amount',
    label: `Amount, ${statement.value?.currency ?? ''}`,
    num: true,
    csv: (r) => formatAmount(BigInt(r.micros)),
  },
]);
const upTo = computed(() =>
  statement.value ? dayName(localDay(Date.parse(statement.value.until) - 1, zone.value)) : '',
);
const wrong = ref('');
async function save(): Promise<void> {
  wrong.value = '';
  try {
    const { downloadCsv } = await import('../ui/tableCsv.ts');
    downloadCsv(`statement-${statement.value?.number}`, lines.answer.value ?? [], columns.value);
  } catch (error) {
    wrong.value = (error as Error).message;
  }
}
const print = (): void => window.print();
</script>
<template>
  <StateBlock v-if="failure && !statement" class="sheet" state="failed" :words="failure" @again="load" />
  <StateBlock v-else-if="!statement" class="sheet" state="loading" />
  <template v-else>
    <PageHead
      :title="`Statement ${statement.number}`"
      :says="`${me?.desk.name} to ${statement.partyName}. Booked up to ${upTo}, in ${statement.currency}.`"
    >
      <span class="row no-print">
        <RouterLink to="/statements">All statements</RouterLink>
        <Button severity="secondary" :disabled="!lines.answer.value" @click="save">CSV</Button>
        <Button :disabled="!lines.answer.value" @click="print">Print</Button>
      </span>
    </PageHead>
    <p v-if="wrong" class="error no-print" role="alert">{{ wrong }}</p>
    <p v-if="statement.state === 'void'" class="error" role="alert">
      This statement is void: {{ statement.voidReason }} What it held goes on the next statement.
    </p>
    <section class="sheet pad" aria-label="Sums">
      <dl>
        <template v-for="[label, micros, isEnd] in sumsOf(statement, 'To pay')" :key="label">
          <dt :class="{ end: isEnd }">{{ label }}</dt>
          <dd :class="{ end: isEnd }">{{ money(micros) }} {{ statement.currency }}</dd>
        </template>
      </dl>
      <p class="quiet">
        {{ count(statement.conversions) }} conversions. Issued {{ moment(statement.issuedAt, zone) }}. State:
        {{ statement.state }}.
      </p>
    </section>
    <section class="sheet" aria-label="Lines">
      <ListTable
        :rows="lines.answer.value ?? []"
        label="Lines"
        :columns="columns"
        :state="lines.failure.value ? 'failed' : lines.answer.value ? 'ready' : 'loading'"
        :failure="lines.failure.value"
        @again="lines.load"
      >
        <template #empty
          ><StateBlock state="empty" title="No lines" words="A void statement holds no entries."
        /></template>
        <template #at="{ row }">{{ row.at ? moment(row.at, zone) : 'removed' }}</template>
        <template #offer="{ row }">{{ row.offerName }}</template>
        <template #event="{ row }">{{ row.eventName }}</template>
        <template #status="{ row }"><StatusMark :word="row.status" /></template>
        <template #kind="{ row }">{{ kindOf(row) }}</template>
        <template #amount="{ row }">{{ money(row.micros) }}</template>
      </ListTable>
    </section>
  </template>
</template>
<style scoped>
section + section {
  margin-top: 10px;
}
dl {
  display: grid;
  grid-template-columns: minmax(140px, 320px) max-content;
  gap: 4px 16px;
  margin: 0 0 8px;
}
dd {
  margin: 0;
  text-align: right;
  font-variant-numeric: tabular-nums;
}
.end {
  font-weight: 600;
  border-top: 1px solid var(--hairline);
  padding-top: 4px;
}
@media print {
  .no-print {
    display: none;
  }
}
</style>
