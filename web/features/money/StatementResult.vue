<script setup lang="ts">
/** One statement as it was compared: a line for each result with both sums, and what can be done about it. */
import Button from 'primevue/button';
import {
  bookableKinds,
  type LineKind,
  type Statement,
  type StatementLine,
  type StatementSum,
} from '@tracheon/core/contract';
import { askText } from '@tracheon/core/statements';
import { useConfirm } from 'primevue/useconfirm';
import { useToast } from 'primevue/usetoast';
import { ref, shallowRef, watch } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { count, counted, money, moment } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import type { Column } from '../../ui/tableColumns.ts';
import { lineWords } from './lineWords.ts';

const props = defineProps<{ statement: Statement }>();
const emit = defineEmits<{ booked: [] }>();
const session = useSession();
const confirm = useConfirm();
const toast = useToast();
const kind = ref<LineKind | null>(null);
const lines = shallowRef<StatementLine[]>([]);
const next = ref<string | null>(null);
const failure = ref('');
const isBusy = ref(false);
/** More than these nobody reads in a mail. */
const MAX_ASKED = 500;

const isBookable = (k: LineKind): boolean => (bookableKinds as readonly LineKind[]).includes(k);
const canAsk = (k: LineKind): boolean => !['matched', 'repeated', 'unreadable'].includes(k);
const sums = (all: StatementSum['ours']): string =>
  all.map((s) => `${money(s.micros)} ${s.currency}`).join(', ') || '–';
const sideOf = (side: StatementLine['ours']): string =>
  side === null
    ? '–'
    : [side.status, side.micros === null ? '' : `${money(side.micros)} ${side.currency}`]
        .filter(Boolean)
        .join(', ');

async function load(more: boolean): Promise<void> {
  if (kind.value === null) return;
  failure.value = '';
  try {
    const page = await ask('statementLines', {
      id: props.statement.batch.id,
      query: { kind: kind.value, cursor: more ? (next.value ?? '') : '' },
    });
    lines.value = more ? [...lines.value, ...page.rows] : page.rows;
    next.value = page.next;
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
watch(kind, () => void load(false));
watch(
  () => [props.statement.batch.id, props.statement.sums] as const,
  ([id], [before]) => {
    if (id !== before) kind.value = null;
    else void load(false);
  },
);
const show = (of: LineKind): void => void (kind.value = kind.value === of ? null : of);

function bookAll(sum: StatementSum): void {
  const open = sum.count - sum.booked;
  confirm.require({
    header: `Book ${counted(open, 'row')}?`,
    message:
      'Tracheon books them as the statement says: its amount, its status. They become an import, which you can undo under Conversions → Import.',
    acceptLabel: `Book ${counted(open, 'row')}`,
    rejectLabel: 'Cancel',
    accept: () => void book(sum.kind, []),
  });
}
async function book(of: LineKind, chosen: string[]): Promise<void> {
  if (isBusy.value) return;
  isBusy.value = true;
  try {
    const { total } = await ask('bookStatement', {
      id: props.statement.batch.id,
      body: { kind: of as (typeof bookableKinds)[number], lines: chosen },
    });
    toast.add({
      severity: 'secondary',
      summary: `Tracheon is booking ${counted(total, 'row')}.`,
      life: 4000,
    });
    emit('booked');
    await load(false);
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
  } finally {
    isBusy.value = false;
  }
}
async function copyQuestion(of: LineKind): Promise<void> {
  try {
    const { rows } = await ask('statementLines', {
      id: props.statement.batch.id,
      query: { kind: of, limit: MAX_ASKED },
    });
    await navigator.clipboard.writeText(askText(of, rows, props.statement));
    toast.add({
      severity: 'secondary',
      summary: `Copied a text with ${counted(rows.length, 'conversion')} for ${props.statement.networkName}.`,
      life: 4000,
    });
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
  }
}
const columns: Column<StatementSum>[] = [
  { key: 'kind', label: 'Result', fixed: true, csv: (r) => lineWords[r.kind].label },
  { key: 'count', label: 'Conversions', num: true, csv: (r) => r.count },
  { key: 'theirs', label: 'Statement', num: true, csv: (r) => sums(r.theirs) },
  { key: 'ours', label: 'Tracheon', num: true, csv: (r) => sums(r.ours) },
  { key: 'acts', label: '' },
];
const lineColumns: Column<StatementLine>[] = [
  { key: 'n', label: 'Row', num: true, csv: (r) => r.n ?? '' },
  { key: 'transaction', label: 'Transaction', csv: (r) => r.transaction },
  { key: 'click', label: 'Click ID', csv: (r) => r.clickId },
  { key: 'at', label: 'Time', csv: (r) => r.at ?? '' },
  { key: 'theirs', label: 'Statement', csv: (r) => sideOf(r.theirs) },
  { key: 'ours', label: 'Tracheon', csv: (r) => sideOf(r.ours) },
  { key: 'book', label: '', csv: (r) => r.why },
];
</script>
<template>
  <section class="sheet pad" :aria-label="`Result of ${statement.fileName}`">
    <h2>{{ statement.networkName }}: {{ statement.fileName }}</h2>
    <p class="quiet">
      <template v-if="statement.from">Conversions from {{ statement.from }} to {{ statement.to }}.</template>
      <template v-else
        >The file has no dates, so Tracheon can’t tell which conversions are missing in it. Compare it again
        with the first and last day.</template
      >
    </p>
    <ListTable :rows="statement.sums" :row-key="(r) => r.kind" :columns="columns" label="Results">
      <template #kind="{ row }"
        ><strong>{{ lineWords[row.kind].label }}</strong><br /><span class="quiet small">{{
          lineWords[row.kind].meaning
        }}</span></template
      >
      <template #count="{ row }"
        >{{ count(row.count)
        }}<template v-if="row.booked"
          ><br /><span class="quiet small">{{ count(row.booked) }} booked</span></template
        ></template
      >
      <template #theirs="{ row }">{{ sums(row.theirs) }}</template>
      <template #ours="{ row }">{{ sums(row.ours) }}</template>
      <template #acts="{ row }">
        <div class="acts">
          <Button
            variant="link"
            :aria-expanded="kind === row.kind"
            :aria-label="`${kind === row.kind ? 'Hide' : 'Show'} ${lineWords[row.kind].label}`"
            @click="show(row.kind)"
            >{{ kind === row.kind ? 'Hide' : 'Show' }}</Button
          >
          <Button
            v-if="session.canEdit && isBookable(row.kind) && row.booked < row.count"
            variant="link"
            :disabled="isBusy"
            :aria-label="`Book all ${lineWords[row.kind].label}`"
            @click="bookAll(row)"
            >Book all</Button
          >
          <Button
            v-if="canAsk(row.kind)"
            variant="link"
            :aria-label="`Copy question about ${lineWords[row.kind].label}`"
            @click="copyQuestion(row.kind)"
            >Copy question</Button
          >
        </div>
      </template>
    </ListTable>
    <template v-if="kind !== null">
      <h3>{{ lineWords[kind].label }}</h3>
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <ListTable
        :rows="lines"
        :row-key="(r) => r.id"
        :columns="lineColumns"
        name="statement-lines"
        label="Lines"
      >
        <template #n="{ row }">{{ row.n ?? '–' }}</template>
        <template #transaction="{ row }"><code>{{ row.transaction || '–' }}</code></template>
        <template #click="{ row }"><code class="clip">{{ row.clickId || '–' }}</code></template>
        <template #at="{ row }"
          ><span class="nowrap">{{ row.at ? moment(row.at, session.desk.zone) : '–' }}</span></template
        >
        <template #theirs="{ row }">{{ sideOf(row.theirs) }}</template>
        <template #ours="{ row }">{{ sideOf(row.ours) }}</template>
        <template #book="{ row }">
          <span v-if="row.why" class="quiet">{{ row.why }}</span>
          <span v-else-if="row.bookedBy" class="quiet">booked</span>
          <Button
            v-else-if="session.canEdit && isBookable(row.kind)"
            variant="link"
            :disabled="isBusy"
            :aria-label="`Book row ${row.n}`"
            @click="book(row.kind, [row.id])"
            >Book</Button
          >
        </template>
      </ListTable>
      <Button v-if="next" severity="secondary" @click="load(true)">Show more</Button>
    </template>
  </section>
</template>
<style scoped>
.acts {
  display: flex;
  gap: 12px;
  justify-content: flex-end;
  white-space: nowrap;
}
.small {
  font-size: 12px;
}
.nowrap {
  white-space: nowrap;
}
.clip {
  display: block;
  max-width: 200px;
  overflow: hidden;
  text-overflow: ellipsis;
}
h2,
h3,
p {
  margin: 0 0 8px;
}
h3 {
  margin-top: 14px;
}
</style>
