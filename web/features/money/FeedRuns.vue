<script setup lang="ts">
/** The runs of a feed, and the way to fetch days again. */
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import { MAX_FEED_DAYS, type FeedRecord, type FeedRun } from '@tracheon/core/contract';
import { daysIn, shiftDay } from '@tracheon/core/time';
import { computed, onMounted, ref, shallowRef } from 'vue';
import { ask, type AnswerOf } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { usePeriod } from '../../shared/period.ts';
import DayField from '../../ui/DayField.vue';
import { count, moment, money } from '../../ui/format.ts';
import FormField from '../../ui/FormField.vue';
import ListTable from '../../ui/ListTable.vue';
import SideSheet from '../../ui/SideSheet.vue';
import StateBlock from '../../ui/StateBlock.vue';
import { runTone, runWords } from './feedWords.ts';

const props = defineProps<{ feed: FeedRecord }>();
const emit = defineEmits<{ closed: [] }>();
const session = useSession();
const { today } = usePeriod();
const isOpen = ref(true);
const runs = shallowRef<FeedRun[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
/** Days that were asked for together, as long as some of them are missing. */
const batch = shallowRef<AnswerOf<'feedRuns'>['batch']>(null);
const from = ref(shiftDay(today.value, -1));
const to = ref(today.value);
const wrong = computed(() => {
  if (from.value === '' || to.value === '') return 'Choose both days.';
  if (to.value < from.value) return 'The last day is before the first day.';
  return daysIn({ from: from.value, to: to.value }) > MAX_FEED_DAYS
    ? `At most ${MAX_FEED_DAYS} days at once.`
    : '';
});
const said = ref('');
const isCost = props.feed.body.gives === 'cost';
const says = isCost
  ? 'Runs of this feed. Each run replaces what the run before booked for its day.'
  : `Runs of this feed. An estimate is ${props.feed.body.estimates === 'pending' ? 'on hold' : 'earned'} until the final comes.`;

const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('feedRuns', { id: props.feed.id }),
    (answer) => {
      runs.value = answer.rows;
      batch.value = answer.batch;
      state.value = 'ready';
    },
    (why) => {
      failure.value = why;
      state.value = 'failed';
    },
  );
onMounted(load);
onNews(['feeds'], load);
async function act(work: () => Promise<string>): Promise<void> {
  said.value = '';
  try {
    said.value = await work();
    await load();
  } catch (error) {
    said.value = (error as Error).message;
  }
}
const fetchDays = (): Promise<void> =>
  act(async () => {
    const { days } = await ask('runFeed', { id: props.feed.id, body: { from: from.value, to: to.value } });
    return days === 1 ? 'Tracheon fetches this day now.' : `Tracheon fetches these ${days} days now.`;
  });
const confirm = (run: FeedRun): Promise<void> =>
  act(async () => {
    await ask('confirmFeedRun', { id: run.id });
    return `The report of ${run.day} counts now.`;
  });
const stop = (): Promise<void> =>
  act(async () => {
    const { stopped } = await ask('stopFeed', { id: props.feed.id });
    return stopped === 1 ? 'Tracheon stopped 1 run.' : `Tracheon stopped ${stopped} runs.`;
  });
const isWorking = computed(() => runs.value.some((r) => r.state === 'queued' || r.state === 'running'));
function close(open: boolean): void {
  isOpen.value = open;
  if (!open) emit('closed');
}
</script>
<template>
  <SideSheet :open="isOpen" :title="feed.body.name" :says="says" @update:open="close">
    <form v-if="session.canEdit" class="days" @submit.prevent="fetchDays">
      <FormField v-slot="{ id, invalid }" label="First day" :error="wrong">
        <DayField :id="id" v-model="from" :invalid="invalid" />
      </FormField>
      <FormField v-slot="{ id }" label="Last day (inclusive)">
        <DayField :id="id" v-model="to" />
      </FormField>
      <Button severity="secondary" type="submit" :disabled="wrong !== ''">Fetch these days</Button>
    </form>
    <div v-if="isWorking || batch" class="row">
      <template v-if="batch">
        <ProgressBar
          class="progress"
          :value="Math.round((100 * batch.ended) / batch.days)"
          :show-value="false"
          aria-label="Days fetched"
        />
        <span
          >{{ batch.ended }} of {{ batch.days }} days<template v-if="batch.failed"
            >, {{ batch.failed }} failed</template
          ></span
        >
      </template>
      <Button v-if="session.canEdit" severity="secondary" :disabled="!isWorking" @click="stop">Stop</Button>
    </div>
    <p v-if="said" role="status">{{ said }}</p>
    <ListTable
      :rows="runs"
      :state="state"
      :failure="failure"
      label="Runs"
      name="feed-runs"
      sort-by="-at"
      :columns="[
        { key: 'at', label: 'Started', sort: (r) => r.startedAt, fixed: true },
        { key: 'day', label: 'Day', sort: (r) => r.day },
        { key: 'result', label: 'Result' },
        { key: 'rows', label: 'Rows', num: true, sort: (r) => r.rows },
        {
          key: 'amount',
          label: `${isCost ? 'Cost' : 'Revenue'}, ${feed.body.currency}`,
          num: true,
          sort: (r) => BigInt(r.amountMicros),
        },
        { key: 'stated', label: 'Provider’s total', num: true },
        {
          key: 'told',
          label: 'Changes',
          num: true,
          explain: isCost
            ? 'Cost entries that this run booked'
            : 'Conversions that this run created or changed',
          sort: (r) => r.told,
        },
      ]"
      @again="load"
    >
      <template #empty
        ><StateBlock state="empty" title="No runs yet" words="Fetch a day to see its rows."
      /></template>
      <template #at="{ row }">{{ moment(row.startedAt, session.desk.zone) }}</template>
      <template #day="{ row }">{{ row.day }}</template>
      <template #result="{ row }"
        ><span :class="runTone(row)">{{ runWords(row) }}</span>
        <Button v-if="row.state === 'waiting' && session.canEdit" variant="link" @click="confirm(row)"
          >Confirm</Button
        ><span v-if="row.notes" class="quiet"> {{ row.notes }}</span></template
      >
      <template #rows="{ row }">{{ count(row.rows) }}</template>
      <template #amount="{ row }">{{ money(row.amountMicros) }}</template>
      <template #stated="{ row }">{{ row.statedMicros === null ? '' : money(row.statedMicros) }}</template>
      <template #told="{ row }">{{ count(row.told) }}</template>
    </ListTable>
  </SideSheet>
</template>
<style scoped>
.days {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(150px, max-content));
  gap: 2px 14px;
  align-items: start;
}
.progress {
  width: 170px;
}
.days button {
  margin-top: 22px;
  justify-self: start;
}
</style>
