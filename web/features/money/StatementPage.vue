<script setup lang="ts">
/** One statement to a partner or an advertiser: its sums and its lines; printed, as a file, voided. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import type { BillingLine } from '@tracheon/core/contract';
import { localDay, shiftDay } from '@tracheon/core/time';
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';
import { ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { useAnswer } from '../../base/useAnswer.ts';
import { download } from '../../ui/download.ts';
import FormField from '../../ui/FormField.vue';
import { count, dayName, moment, money } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import StatusMark from '../../ui/StatusMark.vue';
import { sumsOf } from '../../ui/statementSums.ts';
import { kindOf, lineColumns, sideWords } from './billingWords.ts';

const session = useSession();
const parts = useParts();
const route = useRoute();
const id = computed(() => String(route.params.id));
const {
  answer: statement,
  failure,
  load,
} = useAnswer(
  () => id.value,
  (of) => ask('billingStatement', { id: of }),
);
/** All lines, page by page: a statement is short beside what it is made of, and is printed whole. */
const read = ref(0);
const lines = useAnswer(
  () => id.value,
  async (of) => {
    const all: BillingLine[] = [];
    read.value = 0;
    for (let cursor: string | null = ''; cursor !== null;) {
      const page: { rows: BillingLine[]; next: string | null } = await ask('billingLines', {
        id: of,
        query: { cursor, limit: 1000 },
      });
      all.push(...page.rows);
      read.value = all.length;
      cursor = page.next;
    }
    return all;
  },
);
const columns = computed(() => lineColumns(statement.value?.currency ?? ''));
const title = computed(() =>
  statement.value ? `Statement ${statement.value.number} to ${statement.value.partyName}` : 'Statement',
);
/** As its record says today. */
const party = computed(() => {
  const { side, partyId = '' } = statement.value ?? {};
  return parts.one(side === 'partner' ? 'partner' : 'network', partyId)?.body;
});
/** Whom the statement goes to; empty where nobody is entered. */
const sendTo = computed(() => {
  const { side, partyId = '' } = statement.value ?? {};
  return side === 'partner'
    ? (parts.one('partner', partyId)?.body.email ?? '')
    : (parts.one('network', partyId)?.body.billingEmail ?? '');
});
/** An advertiser has its days; what partners get is paid by the desk's own decision. */
const dueOn = computed(() => {
  const { side, issuedAt = '', state, partyId = '' } = statement.value ?? {};
  const days =
    side === 'advertiser' && state === 'issued' && parts.one('network', partyId)?.body.payWithinDays;
  return days ? dayName(shiftDay(localDay(Date.parse(issuedAt), session.desk.zone), days)) : '';
});
const name = computed(() => `statement-${statement.value?.side}-${statement.value?.number}`);
const upTo = computed(() =>
  statement.value ? dayName(localDay(Date.parse(statement.value.until) - 1, session.desk.zone)) : '',
);

const wrong = ref('');
async function save(format: 'csv' | 'xlsx'): Promise<void> {
  wrong.value = '';
  try {
    const rows = lines.answer.value ?? [];
    if (format === 'csv') {
      const { downloadCsv } = await import('../../ui/tableCsv.ts');
      downloadCsv(name.value, rows, columns.value);
      return;
    }
    const { xlsxOf } = await import('../../ui/tableXlsx.ts');
    const type = 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet';
    download(`${name.value}.xlsx`, type, await xlsxOf(rows, columns.value));
  } catch (error) {
    wrong.value = (error as Error).message;
  }
}
const asks = ref(false);
const reason = ref('');
async function makeVoid(): Promise<void> {
  if (reason.value.trim() === '') return;
  wrong.value = '';
  try {
    await ask('voidBillingStatement', { id: id.value, body: { reason: reason.value } });
    asks.value = false;
    await Promise.all([load(), lines.load()]);
  } catch (error) {
    wrong.value = (error as Error).message;
  }
}
const print = (): void => window.print();
</script>
<template>
  <StateBlock v-if="failure" class="sheet" state="failed" :words="failure" @again="load" />
  <StateBlock v-else-if="!statement" class="sheet" state="loading" />
  <template v-else>
    <PageHead :title="title" :says="`${session.desk.name}. Booked up to ${upTo}, in ${statement.currency}.`">
      <span class="row no-print">
        <RouterLink :to="`/money/billing${statement.side === 'partner' ? '' : '?side=advertiser'}`"
          >All statements</RouterLink
        >
        <Button severity="secondary" :disabled="!lines.answer.value" @click="save('csv')">CSV</Button>
        <Button severity="secondary" :disabled="!lines.answer.value" @click="save('xlsx')">XLSX</Button>
        <Button
          v-if="session.canEdit && statement.state === 'issued'"
          severity="secondary"
          @click="asks = !asks"
          >Void statement …</Button
        >
        <Button :disabled="!lines.answer.value" @click="print">Print</Button>
      </span>
    </PageHead>
    <p v-if="wrong" class="error no-print" role="alert">{{ wrong }}</p>
    <p v-if="statement.state === 'void'" class="error" role="alert">
      This statement is void: {{ statement.voidReason }} Its entries are open again.
    </p>
    <form v-if="asks" class="sheet pad row no-print" aria-label="Void statement" @submit.prevent="makeVoid">
      <FormField
        v-slot="{ id: field }"
        label="Reason"
        hint="Voiding can’t be undone. The entries are open again and go on the next statement."
      >
        <InputText :id="field" v-model="reason" maxlength="200" class="reason" />
      </FormField>
      <Button type="submit" severity="danger" :disabled="reason.trim() === ''">Void statement</Button>
      <Button severity="secondary" @click="asks = false">Cancel</Button>
    </form>
    <section class="sheet pad" aria-label="Sums">
      <p v-if="party?.billTo" class="bill-to">{{ party.billTo }}</p>
      <p v-if="sendTo" class="no-print">Send it to <a :href="`mailto:${sendTo}`">{{ sendTo }}</a></p>
      <p v-if="dueOn" class="quiet">To be paid by {{ dueOn }}.</p>
      <dl>
        <template
          v-for="[label, micros, isEnd] in sumsOf(statement, sideWords[statement.side].paid)"
          :key="label"
        >
          <dt :class="{ end: isEnd }">{{ label }}</dt>
          <dd :class="{ end: isEnd }">{{ money(micros) }} {{ statement.currency }}</dd>
        </template>
      </dl>
      <p class="quiet">
        {{ count(statement.conversions) }} conversions. Issued
        {{ moment(statement.issuedAt, session.desk.zone) }} by {{ statement.issuedBy }}. State:
        {{ statement.state }}.
      </p>
    </section>
    <section class="sheet" aria-label="Lines">
      <p v-if="!lines.answer.value && !lines.failure.value && read > 0" class="quiet pad" role="status">
        {{ count(read) }} lines loaded
      </p>
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
        <template #at="{ row }">{{ row.at ? moment(row.at, session.desk.zone) : 'removed' }}</template>
        <template #offer="{ row }">{{ row.offerName }}</template>
        <template #event="{ row }">{{ row.eventName }}</template>
        <template #transaction="{ row }"><code>{{ row.transaction || '–' }}</code></template>
        <template #click="{ row }"
          ><code>{{ row.clickId ? `…${row.clickId.slice(-6)}` : '–' }}</code></template
        >
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
.pad {
  padding: 10px 12px;
}
dl {
  display: grid;
  grid-template-columns: minmax(200px, 320px) max-content;
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
.bill-to {
  white-space: pre-line;
}
.reason {
  width: min(420px, 60vw);
}
p {
  margin: 0 0 6px;
}
@media print {
  .no-print {
    display: none;
  }
}
</style>
