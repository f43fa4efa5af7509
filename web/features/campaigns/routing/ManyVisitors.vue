<script setup lang="ts">
/** Ten thousand visitors like those of last week, sent through the draft on paper: shares of each way, and money that goes astray. */
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import type { ManyResult, RehearsedOffer, Tally } from '@tracheon/core/deciding';
import type { PartRecord, Routing } from '@tracheon/core/contract';
import { branchesOf, OTHERWISE } from '@tracheon/core/routing';
import { CircleAlert } from '@lucide/vue';
import { computed, onBeforeUnmount, ref } from 'vue';
import { ask } from '../../../app/api.ts';
import { useParts } from '../../../app/parts.ts';
import { count, money, percent } from '../../../ui/format.ts';
import ListTable from '../../../ui/ListTable.vue';
import { fieldsAsked } from './describedVisitor.ts';
import type { ManyNews, ManyTask } from './manyTask.ts';
import { useOdds } from './odds.ts';
import { useRecent } from './recent.ts';
import { closedBecause } from './rehearsedWay.ts';

const VISITORS = 10_000;
const props = defineProps<{
  part: PartRecord<'campaign'>;
  routing: Routing;
  zone: string;
  letters: (id: string) => string;
}>();
const parts = useParts();
const odds = useOdds();
const recent = useRecent();
const state = ref<'idle' | 'running' | 'done' | 'failed'>('idle');
const failure = ref('');
const done = ref(0);
const result = ref<ManyResult | null>(null);
const basis = ref({ visits: 0, currency: '' });
let worker: Worker | null = null;
/** Counts the runs: one that was stopped while it loaded does not go on. */
let runs = 0;

function stop(): void {
  worker?.terminate();
  worker = null;
  if (state.value === 'running') state.value = 'idle';
}
onBeforeUnmount(stop);

/** Plain copies: what Vue watches can't be sent to a worker. */
async function taskOf(): Promise<ManyTask> {
  const fields = [...new Set([...fieldsAsked(props.routing), 'country'])].join(',');
  const mix = await ask('recentMix', { id: props.part.id, query: { fields } });
  basis.value = { visits: mix.at.length, currency: mix.costs.currency };
  const nowMs = Date.now();
  const capped = new Set(recent.value.ways?.cappedOfferIds);
  const offers: Record<string, RehearsedOffer> = {};
  for (const { id, body } of parts.of('offer'))
    offers[id] = {
      isOpen: closedBecause(body, capped.has(id), nowMs, props.zone) === '',
      countries: [...body.countries],
    };
  const arms = [...odds.value.byWay.values()].flatMap((row) => row.arms);
  return {
    routed: JSON.parse(JSON.stringify({ offerId: '', landingPageId: '', routing: props.routing })) as never,
    sourceId: props.part.body.sourceId,
    zone: props.zone,
    nowMs,
    seed: nowMs % 1_000_000,
    count: VISITORS,
    mix,
    offers,
    odds: Object.fromEntries(arms.map((a) => [a.pairingId, a.odds])),
  };
}
async function run(): Promise<void> {
  stop();
  const own = (runs += 1);
  failure.value = '';
  state.value = 'running';
  done.value = 0;
  result.value = null;
  try {
    const task = await taskOf();
    if (own !== runs || state.value !== 'running') return;
    if (task.mix.at.length === 0) {
      state.value = 'failed';
      failure.value = 'This campaign had no visits in the last 7 days. Run again after the first visits.';
      return;
    }
    worker = new Worker(new URL('./many.worker.ts', import.meta.url), { type: 'module' });
    worker.onmessage = ({ data }: MessageEvent<ManyNews>) => hear(data);
    worker.onerror = () =>
      fail('The rehearsal stopped. Check that every condition is complete, then run again.');
    worker.postMessage(task);
  } catch (error) {
    if (own === runs) fail((error as Error).message);
  }
}
function fail(words: string): void {
  stop();
  state.value = 'failed';
  failure.value = words;
}
function hear(news: ManyNews): void {
  done.value = news.done;
  if (!news.result) return;
  result.value = news.result;
  state.value = 'done';
  worker?.terminate();
  worker = null;
}

interface Row extends Tally {
  id: string;
  branch: string;
  pairing: string;
  offer: string;
}
const rows = computed<Row[]>(() => {
  const order = branchesOf({ offerId: '', landingPageId: '', routing: props.routing }).map((b) => b.id);
  return [...(result.value?.ways ?? [])]
    .map(([key, tally]): Row & { at: number } => {
      const [wayId = '', pairingId = '', offerId = ''] = key.split('|');
      const at = order.indexOf(wayId);
      return {
        ...tally,
        id: key,
        at,
        branch: wayId === OTHERWISE ? 'Otherwise' : `Branch ${at + 1}`,
        pairing: props.letters(pairingId),
        offer: offerId === '' ? 'fallback' : (parts.byId.get(offerId)?.body.name ?? offerId),
      };
    })
    .sort((a, b) => a.at - b.at || b.visits - a.visits);
});
const share = (tally: Tally): string => percent(tally.visits / (result.value?.all.visits || 1), 1);
const spent = (tally: Tally): string =>
  basis.value.currency === '' ? '' : ` and ${money(tally.spentMicros)} ${basis.value.currency}`;
</script>
<template>
  <div class="stack">
    <div class="row">
      <Button severity="secondary" :disabled="state === 'running'" @click="run">Run 10,000 visitors</Button>
      <Button v-if="state === 'running'" variant="link" @click="stop">Stop</Button>
      <span class="quiet"
        >Drawn from this campaign’s visits of the last 7 days. Nothing is sent or counted.</span
      >
    </div>
    <ProgressBar
      v-if="state === 'running'"
      :value="Math.round((100 * done) / VISITORS)"
      :show-value="false"
      aria-label="Visitors sent"
    />
    <p v-if="state === 'failed'" class="row error" role="alert">
      <CircleAlert :size="14" aria-hidden="true" /> {{ failure }}
    </p>
    <template v-if="result">
      <p role="status">
        {{ count(result.all.visits) }} visitors, drawn from {{ count(basis.visits) }} real visits.
      </p>
      <p v-if="result.untaken.visits > 0" class="row">
        <CircleAlert :size="14" aria-hidden="true" /> No offer takes {{ count(result.untaken.visits) }} of
        them ({{ share(result.untaken) }}){{ spent(result.untaken) }}: they go to a fallback.
      </p>
      <p v-if="result.unwanted.visits > 0" class="row">
        <CircleAlert :size="14" aria-hidden="true" />
        {{ count(result.unwanted.visits) }} of them ({{ share(result.unwanted) }}){{ spent(result.unwanted) }}
        reach an offer that doesn’t sell in their country.
      </p>
      <ListTable
        :rows="rows"
        label="Where they go"
        :columns="[
          { key: 'branch', label: 'Branch', fixed: true },
          { key: 'pairing', label: 'Pairing' },
          { key: 'offer', label: 'Offer' },
          { key: 'share', label: 'Share', num: true },
          { key: 'spent', label: `Spent, ${basis.currency}`, num: true },
        ]"
      >
        <template #branch="{ row }">{{ row.branch }}</template>
        <template #pairing="{ row }">{{ row.pairing }}</template>
        <template #offer="{ row }">{{ row.offer }}</template>
        <template #share="{ row }">{{ share(row) }}</template>
        <template #spent="{ row }">{{ basis.currency === '' ? '–' : money(row.spentMicros) }}</template>
      </ListTable>
    </template>
  </div>
</template>
