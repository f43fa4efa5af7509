<script setup lang="ts">
/** What no statement holds yet, the statements, and payments to partners. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import type { BillingOpen, BillingSide, BillingStatement } from '@tracheon/core/contract';
import { dayStart, localDay, shiftDay } from '@tracheon/core/time';
import { useToast } from 'primevue/usetoast';
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { ask } from '../../app/api.ts';
import { useKeys } from '../../app/keys.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { useAnswer } from '../../base/useAnswer.ts';
import DayField from '../../ui/DayField.vue';
import { count, dayName, money } from '../../ui/format.ts';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import SegmentChoice from '../../ui/SegmentChoice.vue';
import StateBlock from '../../ui/StateBlock.vue';
import { sides, sideWords } from './billingWords.ts';
import MoneyNav from './MoneyNav.vue';
import PaymentsTable from './PaymentsTable.vue';

const session = useSession();
const route = useRoute();
const router = useRouter();
const toast = useToast();
const side = computed<BillingSide>({
  get: () => (route.query.side === 'advertiser' ? 'advertiser' : 'partner'),
  set: (value) => void router.replace({ query: value === 'partner' ? {} : { side: value } }),
});
const open = useAnswer(
  () => side.value,
  (of) => ask('billingOpen', { query: { side: of as BillingSide } }),
);
const statements = useAnswer(
  () => side.value,
  (of) => ask('billingStatements', { query: { side: of as BillingSide } }),
);
const payments = useAnswer(
  () => (side.value === 'partner' ? 'partner' : ''),
  () => ask('listPayments'),
);
const load = (): void => void Promise.all([open.load(), statements.load(), payments.load()]);
onNews(['billing', 'conversions'], load, 2000);

const wrong = ref('');
const busy = ref('');
const search = ref('');
const lastDay = ref('');
const chosen = ref<string[]>([]);
useKeys([
  { key: '/', words: 'Search statements', run: () => document.getElementById('statement-search')?.focus() },
]);

async function during(what: string, work: () => Promise<string>): Promise<void> {
  if (busy.value !== '') return;
  busy.value = what;
  wrong.value = '';
  try {
    toast.add({ severity: 'secondary', summary: await work(), life: 5000 });
  } catch (error) {
    wrong.value = (error as Error).message;
  } finally {
    busy.value = '';
    load();
  }
}
const issue = ({ id, partyId, currency }: BillingOpen): Promise<void> =>
  during(id, async () => {
    const until =
      lastDay.value === ''
        ? ''
        : new Date(dayStart(shiftDay(lastDay.value, 1), session.desk.zone)).toISOString();
    const made = await ask('issueBillingStatement', { body: { side: side.value, partyId, currency, until } });
    return `Statement ${made.number} to ${made.partyName} issued`;
  });
/** The entries before it are in: the day that ends there. */
const upTo = ({ until }: BillingStatement): string =>
  dayName(localDay(Date.parse(until) - 1, session.desk.zone));

const payable = computed(() =>
  (statements.answer.value ?? []).filter(
    (s) => chosen.value.includes(s.id) && s.state === 'issued' && s.paymentId === '' && s.paidMicros !== '0',
  ),
);
const makePayment = (): Promise<void> =>
  during('payment', async () => {
    const made = await ask('makePayment', { body: { statementIds: payable.value.map((s) => s.id) } });
    chosen.value = [];
    return `Payment ${made.number} made. Approve it, then pay it.`;
  });
const openColumns = computed<Column<BillingOpen>[]>(() => [
  { key: 'party', label: sideWords[side.value].party, sort: (r) => r.partyName },
  { key: 'conversions', label: 'Conversions', num: true, sort: (r) => r.conversions },
  {
    key: 'hold',
    label: 'On hold',
    num: true,
    sort: (r) => BigInt(r.onHoldMicros),
    explain: 'Pending: not approved yet',
  },
  {
    key: 'open',
    label: 'Approved',
    num: true,
    sort: (r) => BigInt(r.openMicros),
    explain: 'Approved amounts and corrections that are on no statement yet',
  },
  {
    key: 'payable',
    label: 'Due now',
    num: true,
    sort: (r) => BigInt(r.payableMicros),
    explain: 'What a statement issued now takes. The rest is still in the partner’s hold period.',
  },
  {
    key: 'carried',
    label: 'Carried over',
    num: true,
    sort: (r) => BigInt(r.carriedMicros),
    explain: 'The rest of the last statement',
  },
  { key: 'do', label: '(Actions)' },
]);
const statementColumns = computed<Column<BillingStatement>[]>(() => [
  { key: 'number', label: 'Statement', sort: (r) => r.number },
  { key: 'party', label: sideWords[side.value].party, sort: (r) => r.partyName },
  { key: 'until', label: 'Up to', sort: (r) => r.until },
  { key: 'conversions', label: 'Conversions', num: true, sort: (r) => r.conversions },
  { key: 'total', label: 'Sum', num: true, sort: (r) => BigInt(r.totalMicros) },
  {
    key: 'paid',
    label: sideWords[side.value].paid,
    num: true,
    sort: (r) => BigInt(r.paidMicros),
    explain: 'The sum and what was carried over, rounded down to the currency’s digits',
  },
  { key: 'state', label: 'State', sort: (r) => r.state },
]);
const stateOf = (answer: unknown, failure: string): 'failed' | 'loading' | 'ready' =>
  failure !== '' ? 'failed' : answer === null ? 'loading' : 'ready';
const text = (s: BillingStatement): string => `${s.number} ${s.partyName} ${s.currency} ${s.state}`;
</script>
<template>
  <PageHead title="Billing" :says="sideWords[side].says">
    <SegmentChoice v-model="side" :options="sides" label="Side" />
  </PageHead>
  <div class="row bar"><MoneyNav /></div>
  <p v-if="wrong" class="error" role="alert">{{ wrong }}</p>
  <section class="sheet" aria-label="Not on a statement">
    <div class="row spread pad">
      <h2>Not on a statement yet</h2>
      <label class="row small"
        >Last day <DayField v-model="lastDay" aria-label="Last day of the next statement"
      /></label>
    </div>
    <ListTable
      :rows="open.answer.value ?? []"
      label="Not on a statement"
      :columns="openColumns"
      :state="stateOf(open.answer.value, open.failure.value)"
      :failure="open.failure.value"
      @again="open.load"
    >
      <template #empty>
        <StateBlock
          state="empty"
          title="Nothing is open"
          :words="
            side === 'partner'
              ? 'Amounts appear here when payouts to partners are booked. Set partner payouts in an offer, then give partners their links.'
              : 'Amounts appear here when conversions of your offers are booked.'
          "
        />
      </template>
      <template #party="{ row }">{{ row.partyName }}</template>
      <template #conversions="{ row }">{{ count(row.conversions) }}</template>
      <template #hold="{ row }"><span class="hold">{{ money(row.onHoldMicros) }}</span></template>
      <template #open="{ row }">{{ money(row.openMicros) }} {{ row.currency }}</template>
      <template #payable="{ row }">{{ money(row.payableMicros) }}</template>
      <template #carried="{ row }">{{ row.carriedMicros === '0' ? '–' : money(row.carriedMicros) }}</template>
      <template #do="{ row }"
        ><Button
          v-if="session.canEdit"
          variant="link"
          :disabled="busy !== '' || (row.conversions === 0 && lastDay === '')"
          :aria-label="`Issue statement to ${row.partyName} in ${row.currency}`"
          @click="issue(row)"
          >Issue statement</Button
        ></template
      >
    </ListTable>
    <p class="quiet small pad">
      A statement takes everything that was booked up to the last day. Without a last day, it takes everything
      up to now. Later bookings go to the next statement.
    </p>
  </section>
  <section class="sheet" aria-label="Statements">
    <div class="row spread pad">
      <h2>Statements</h2>
      <div class="row tools">
        <InputText
          id="statement-search"
          v-model="search"
          placeholder="Search"
          aria-label="Search statements"
        />
        <Button
          v-if="side === 'partner' && session.canEdit"
          :disabled="payable.length === 0 || busy !== ''"
          @click="makePayment"
          >Make payment{{ payable.length > 0 ? ` of ${payable.length}` : '' }}</Button
        >
      </div>
    </div>
    <ListTable
      v-model:chosen="chosen"
      :rows="statements.answer.value ?? []"
      label="Statements"
      :columns="statementColumns"
      sort-by="-number"
      :state="stateOf(statements.answer.value, statements.failure.value)"
      :failure="statements.failure.value"
      :search="search"
      :text="text"
      v-bind="
        side === 'partner' && session.canEdit
          ? { chooseAs: (s: BillingStatement) => `statement ${s.number}` }
          : {}
      "
      @again="statements.load"
    >
      <template #empty>
        <StateBlock
          state="empty"
          title="No statement yet"
          words="Issue one above. It freezes what is booked, so that the paper and the ledger agree."
        />
      </template>
      <template #number="{ row }"
        ><RouterLink :to="`/money/billing/${row.id}`">{{ row.number }}</RouterLink></template
      >
      <template #party="{ row }">{{ row.partyName }}</template>
      <template #until="{ row }">{{ upTo(row) }}</template>
      <template #conversions="{ row }">{{ count(row.conversions) }}</template>
      <template #total="{ row }">{{ money(row.totalMicros) }}</template>
      <template #paid="{ row }">{{ money(row.paidMicros) }} {{ row.currency }}</template>
      <template #state="{ row }"
        >{{ row.state
        }}<span v-if="row.paymentId && row.state !== 'paid'" class="quiet"> in a payment</span></template
      >
    </ListTable>
  </section>
  <PaymentsTable
    v-if="side === 'partner'"
    class="below"
    :payments="payments.answer.value ?? []"
    :state="stateOf(payments.answer.value, payments.failure.value)"
    :failure="payments.failure.value"
    :is-busy="busy !== ''"
    :during="during"
    @again="payments.load"
  />
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
section + section,
.below {
  margin-top: 10px;
}
h2 {
  font-size: 14px;
  margin: 0;
}
.pad {
  padding: 8px 12px;
  margin: 0;
}
.spread {
  justify-content: space-between;
  flex-wrap: wrap;
}
.tools {
  flex-wrap: nowrap;
}
.tools input {
  width: 220px;
}
.hold {
  color: var(--hold);
}
</style>
