<script setup lang="ts">
/** Payments to partners: who is paid, how far each payment is, and its next step or the way back. */
import Button from 'primevue/button';
import type { Payment, PaymentState } from '@tracheon/core/contract';
import { useConfirm } from 'primevue/useconfirm';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { moment, money } from '../../ui/format.ts';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import StateBlock from '../../ui/StateBlock.vue';
import { paymentColumns, paymentSteps } from './billingWords.ts';

const props = defineProps<{
  payments: Payment[];
  state: 'loading' | 'ready' | 'failed';
  failure: string;
  /** Something is under way. */
  isBusy: boolean;
  /** Runs a change and tells its result. */
  during: (what: string, work: () => Promise<string>) => Promise<void>;
}>();
defineEmits<{ again: [] }>();
const session = useSession();
const confirm = useConfirm();
function move(payment: Payment, to: PaymentState, label: string): void {
  const run = (): Promise<void> =>
    props.during(payment.id, async () => {
      const { number } = await ask('movePayment', { id: payment.id, body: { from: payment.state, to } });
      return `Payment ${number}: ${to}`;
    });
  if (to !== 'paid') return void run();
  confirm.require({
    header: `Mark payment ${payment.number} as paid?`,
    message: 'Tracheon does not send money. Mark the payment after you have paid the partners.',
    acceptLabel: label,
    rejectLabel: 'Cancel',
    accept: () => void run(),
  });
}
async function csv(payment: Payment): Promise<void> {
  const { downloadCsv } = await import('../../ui/tableCsv.ts');
  downloadCsv(`payment-${payment.number}`, payment.rows, paymentColumns);
}

const paymentList: Column<Payment>[] = [
  { key: 'number', label: 'Payment', sort: (r) => r.number },
  { key: 'who', label: 'Partners', sort: (r) => r.rows.length },
  { key: 'sum', label: 'Amount', num: true },
  { key: 'state', label: 'State', sort: (r) => r.state },
  { key: 'moved', label: 'Last step', sort: (r) => r.movedAt },
  { key: 'do', label: '(Actions)' },
];
</script>
<template>
  <section class="sheet" aria-label="Payments">
    <h2 class="pad">Payments</h2>
    <ListTable
      :rows="payments"
      label="Payments"
      :columns="paymentList"
      sort-by="-number"
      :state="state"
      :failure="failure"
      @again="$emit('again')"
    >
      <template #empty>
        <StateBlock
          state="empty"
          title="No payment yet"
          words="Choose statements above and make a payment of them. Another member can approve it before you pay."
        />
      </template>
      <template #number="{ row }">{{ row.number }}</template>
      <template #who="{ row }">{{ row.rows.map((r) => r.partyName).join(', ') || '–' }}</template>
      <template #sum="{ row }"
        ><span v-for="s in row.sums" :key="s.currency" class="sum"
          >{{ money(s.micros) }} {{ s.currency }}</span
        ></template
      >
      <template #state="{ row }">{{ row.state }}</template>
      <template #moved="{ row }"
        >{{ moment(row.movedAt, session.desk.zone) }} <span class="quiet">{{ row.movedBy }}</span></template
      >
      <template #do="{ row }">
        <span class="row acts">
          <template v-if="session.canEdit">
            <Button
              v-for="step in paymentSteps[row.state]"
              :key="step.to"
              variant="link"
              :disabled="isBusy"
              :aria-label="`${step.label}: payment ${row.number}`"
              @click="move(row, step.to, step.label)"
              >{{ step.label }}</Button
            >
          </template>
          <Button
            v-if="row.rows.length > 0"
            variant="link"
            :aria-label="`CSV of payment ${row.number}`"
            @click="csv(row)"
            >CSV</Button
          >
        </span>
      </template>
    </ListTable>
  </section>
</template>
<style scoped>
h2 {
  font-size: 14px;
  margin: 0;
}
.pad {
  padding: 8px 12px;
  margin: 0;
}
.sum {
  display: block;
}
.acts {
  flex-wrap: nowrap;
  gap: 10px;
}
</style>
