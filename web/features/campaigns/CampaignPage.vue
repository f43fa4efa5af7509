<script setup lang="ts">
import Button from 'primevue/button';
import type { CampaignInput, CampaignReport } from '@tracheon/core/contract';
import { adLink } from '@tracheon/core/links';
import { Pencil } from '@lucide/vue';
import { useConfirm } from 'primevue/useconfirm';
import { useToast } from 'primevue/usetoast';
import { computed, defineAsyncComponent, onMounted, ref, watch, nextTick } from 'vue';
import { useRoute } from 'vue-router';
import type { ApiError } from '../../app/api.ts';
import { ask } from '../../app/api.ts';
import { useKeys } from '../../app/keys.ts';
import { branchesOf, landingPagesOf, offersOf, pairingsOf } from '@tracheon/core/routing';
import { newest } from '../../base/newest.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import CopyButton from '../../ui/CopyButton.vue';
import { counted, countryName, dayRange } from '../../ui/format.ts';
import FiguresLine from '../../ui/FiguresLine.vue';
import LatestConversions from '../../shared/LatestConversions.vue';
import LiveMark from '../../shared/LiveMark.vue';
import PageHead from '../../ui/PageHead.vue';
import PeriodChoice from '../../shared/PeriodChoice.vue';
import BuildingNote from '../../shared/BuildingNote.vue';
import { useIndexed } from '../../shared/useIndexed.ts';
import { isCompared, usePeriod } from '../../shared/period.ts';
import StateBlock from '../../ui/StateBlock.vue';
import { usePage } from '../../shared/usePage.ts';
import IdTrail from '../../shared/trail/IdTrail.vue';
import LiveChecklist from '../../shared/trail/LiveChecklist.vue';
import TrailLegend from '../../shared/trail/TrailLegend.vue';
import { useCampaignLive } from '../../shared/trail/useCampaignLive.ts';
import ArchiveSheet from './ArchiveSheet.vue';
import CampaignForm from './CampaignForm.vue';
import CampaignFunnel from './CampaignFunnel.vue';
import CampaignBySub from './CampaignBySub.vue';
import ComparePairings from './ComparePairings.vue';
import LatestVisits from '../../shared/LatestVisits.vue';
import { useVerdicts } from './useVerdicts.ts';
import LinksOut from '../../shared/LinksOut.vue';

const DayChart = defineAsyncComponent(() => import('./DayChart.vue'));
const DuplicateSheet = defineAsyncComponent(() => import('./bulk/DuplicateSheet.vue'));
const route = useRoute();
const parts = useParts();
const session = useSession();
const confirm = useConfirm();
const toast = useToast();
const id = String(route.params.id);
const part = computed(() => parts.one('campaign', id));
const source = computed(() => part.value && parts.one('source', part.value.body.sourceId));
const offer = computed(() => part.value && parts.one('offer', offersOf(part.value.body)[0] ?? ''));
const page = computed(
  () => part.value && parts.one('landing-page', landingPagesOf(part.value.body)[0] ?? ''),
);
function routingWords(body: CampaignInput): string {
  const [branches, pairings] = [branchesOf(body).length - 1, pairingsOf(body).length];
  const of = (n: number, one: string, many: string): string => `${n} ${n === 1 ? one : many}`;
  return branches === 0
    ? of(pairings, 'pairing', 'pairings')
    : `${of(branches, 'branch', 'branches')} and ${of(pairings, 'pairing', 'pairings')}`;
}
const link = computed(() =>
  part.value && source.value
    ? adLink(session.me?.trackingOrigin ?? '', part.value, source.value.body, (id) =>
        parts.one('landing-page', id),
      )
    : '',
);
const report = ref<CampaignReport | null>(null);
const failure = ref('');
const editing = ref(false);
const archiving = ref(false);
/** A setup sheet has one page and one offer; branches and splits are copied whole. */
const duplicating = ref(false);
const copy = ref<InstanceType<typeof CopyButton> | null>(null);
const visits = usePage('listVisits', () => ({ campaign: id, limit: 12 }));
const shown = useCampaignLive(ref(id));
const testing = ref(route.query.test === '1');
const testPlace = ref<HTMLElement | null>(null);
/** On a narrow screen it opens below what is in sight. */
watch(testing, async (isOpen) => {
  await nextTick();
  if (isOpen) testPlace.value?.scrollIntoView({ block: 'nearest' });
});
const conversions = usePage('listConversions', () => ({ campaign: id, limit: 12 }));

const { range, before } = usePeriod();
const verdicts = useVerdicts();
/** Of the period before, when it is compared with. */
const reportBefore = ref<CampaignReport | null>(null);

/** Figures are worked out anew; lists are only read. */
const FIGURES_PAUSE_MS = 2000;
const { building, indexed } = useIndexed(() => void load());
const asks = newest();
const load = (): Promise<void> =>
  asks(
    indexed(() =>
      Promise.all([
        ask('campaignReport', { id, query: range.value }),
        isCompared.value ? ask('campaignReport', { id, query: before.value }) : null,
      ]),
    ),
    (both) => {
      [report.value, reportBefore.value] = both;
      failure.value = '';
    },
    (why) => (failure.value = why),
  );
onMounted(load);
watch([range, isCompared], load);
onNews(['numbers'], load, FIGURES_PAUSE_MS);
onNews(['visits'], visits.load);
onNews(['conversions'], conversions.load);

const says = computed(() =>
  source.value && part.value?.body.routing
    ? `Visitors of ${source.value.body.name}, sent by ${routingWords(part.value.body)}.`
    : source.value && offer.value
      ? `Visitors${part.value?.body.country ? ` from ${countryName(part.value.body.country)}` : ''} of ${source.value.body.name}, ${page.value ? `by ${page.value.body.name}` : 'straight'} to ${offer.value.body.name}.`
      : 'A campaign.',
);
async function setState(next: 'live' | 'paused' | 'archived'): Promise<void> {
  try {
    if (part.value) await parts.setState(part.value, next);
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as ApiError).message, life: 6000 });
  }
}
function stop(): void {
  confirm.require({
    header: 'Pause this campaign?',
    message: `Visitors will see a short notice instead of the offer. ${source.value?.body.name ?? 'The source'} keeps charging you until you pause the campaign there too. You can resume at any time.`,
    acceptLabel: 'Pause',
    rejectLabel: 'Keep it running',
    rejectProps: { severity: 'secondary', variant: 'text' },
    accept: () => void setState('paused'),
  });
}
useKeys([
  { key: 'e', words: 'Edit', run: () => session.canEdit && (editing.value = true) },
  { key: 't', words: 'Test campaign', run: () => (testing.value = !testing.value) },
  { key: 'c', words: 'Copy the tracking link', run: () => void copy.value?.copy() },
]);
</script>
<template>
  <StateBlock
    v-if="!part && parts.state === 'ready'"
    class="sheet"
    state="empty"
    title="Campaign not found"
    words="It may belong to another desk."
    ><RouterLink to="/campaigns">All campaigns</RouterLink></StateBlock
  >
  <StateBlock
    v-else-if="!part"
    class="sheet"
    :state="parts.state === 'failed' ? 'failed' : 'loading'"
    :words="parts.failure"
    @again="parts.load"
  />
  <template v-else>
    <PageHead :title="part.body.name" :says="says">
      <Button severity="secondary" v-if="session.canEdit" @click="editing = true">
        <Pencil :size="15" aria-hidden="true" /> Edit <kbd>E</kbd>
      </Button>
      <RouterLink class="button" :to="`/campaigns/${id}/routing`">Routing</RouterLink>
      <Button
        v-if="session.canEdit && part.body.routing"
        severity="secondary"
        aria-haspopup="dialog"
        @click="duplicating = true"
        >Duplicate</Button
      >
      <RouterLink v-else-if="session.canEdit" class="button" :to="`/set-up?from=${id}`">Duplicate</RouterLink>
      <Button severity="secondary" v-if="session.canEdit && part.state === 'live'" @click="stop">
        Pause
      </Button>
      <Button
        severity="secondary"
        v-if="session.canEdit && part.state === 'paused'"
        @click="setState('live')"
      >
        Resume
      </Button>
      <Button
        severity="secondary"
        v-if="session.canEdit && part.state === 'paused'"
        @click="archiving = true"
      >
        Archive …
      </Button>
      <Button
        severity="secondary"
        v-if="session.canEdit && part.state === 'archived'"
        @click="setState('paused')"
      >
        Restore
      </Button>
      <CopyButton ref="copy" main :text="link" label="Copy tracking link" key-name="C" />
    </PageHead>
    <p v-if="part.state === 'paused'" class="sheet pad notice">
      Paused: visitors see a short notice. {{ source?.body.name }} keeps charging until you pause the campaign
      there.
    </p>
    <div class="stack">
      <div class="row spread">
        <div class="row">
          <PeriodChoice />
          <span v-if="report" class="quiet"
            >{{ dayRange(report.from, report.to) }} · {{ session.desk.zone }} · by visit day{{
              report.impressions > 0 ? ` · ${counted(report.impressions, 'impression')}` : ''
            }}</span
          >
        </div>
        <LiveMark />
      </div>
      <BuildingNote v-if="building" :building="building" />
      <StateBlock v-else-if="failure" class="sheet" state="failed" :words="failure" @again="load" />
      <FiguresLine
        v-else-if="report"
        :figures="report.total"
        :currency="session.desk.currency"
        :before="reportBefore?.total ?? null"
        :verdict="verdicts.get(id) ?? null"
        :of="part.body.name"
      />
      <StateBlock v-else class="sheet" state="loading" />
      <section class="sheet pad" aria-label="ID trail">
        <div class="row spread">
          <div class="row">
            <h2>ID trail</h2>
            <span class="quiet">Setup and activity in the last 24 hours</span>
          </div>
          <div class="row">
            <TrailLegend class="wide-only" />
            <Button severity="secondary" :aria-expanded="testing" @click="testing = !testing">
              {{ testing ? 'Hide the checklist' : 'Test campaign' }} <kbd>T</kbd>
            </Button>
          </div>
        </div>
        <StateBlock
          v-if="shown.failure.value && !shown.live.value"
          state="failed"
          :words="shown.failure.value"
          @again="shown.load"
        />
        <IdTrail
          v-if="shown.hops.value.length"
          :hops="shown.hops.value"
          :ids="shown.ids.value"
          class="trail"
        />
      </section>
      <div v-if="testing" ref="testPlace" class="sheet pad"><LiveChecklist :shown="shown" /></div>
      <ComparePairings :campaign="part" />
      <CampaignBySub v-if="source" :campaign-id="id" :source="source" />
      <LinksOut :part="part" />
      <section v-if="report && report.total.visits > 0" class="sheet pad" aria-label="The way through">
        <h2>From visit to conversion</h2>
        <CampaignFunnel :figures="report.total" />
      </section>
      <section class="sheet pad" aria-label="By day">
        <h2>By day</h2>
        <DayChart v-if="report" :days="report.days" :currency="session.desk.currency" />
      </section>
      <div class="two">
        <section class="sheet" aria-label="Latest visits">
          <div class="row spread pad">
            <h2>Latest visits</h2>
            <RouterLink :to="`/campaigns/${id}/visits`">All visits</RouterLink>
          </div>
          <LatestVisits
            :rows="visits.rows.value"
            :state="visits.state.value"
            :failure="visits.failure.value"
            @again="visits.load"
          />
        </section>
        <section class="sheet" aria-label="Latest conversions">
          <h2 class="pad">Latest conversions</h2>
          <LatestConversions
            :rows="conversions.rows.value"
            :state="conversions.state.value"
            :failure="conversions.failure.value"
            @again="conversions.load"
          />
        </section>
      </div>
    </div>
    <DuplicateSheet v-if="duplicating" v-model:open="duplicating" :from="part" />
    <ArchiveSheet v-if="archiving" v-model:open="archiving" :part="part" />
    <CampaignForm v-if="editing" v-model:open="editing" :part="part" />
  </template>
</template>
<style scoped>
.notice {
  border-color: var(--loss);
  margin-bottom: 12px;
}
.trail {
  margin-top: 10px;
}
@media (max-width: 760px) {
  .wide-only {
    display: none;
  }
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 2.1fr) minmax(0, 1fr);
  gap: 12px;
}
@media (max-width: 1000px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
