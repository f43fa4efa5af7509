<script setup lang="ts">
import type { Attention, CampaignsReport } from '@tracheon/core/contract';
import { Circle, CircleAlert, CircleCheck } from '@lucide/vue';
import { computed, onMounted, ref, shallowRef } from 'vue';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useParts } from '../../app/parts.ts';
import { usePasted } from '../../app/pasted.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import FiguresLine from '../../ui/FiguresLine.vue';
import { dayName } from '../../ui/format.ts';
import LatestConversions from '../../shared/LatestConversions.vue';
import LiveMark from '../../shared/LiveMark.vue';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import BuildingNote from '../../shared/BuildingNote.vue';
import { useIndexed } from '../../shared/useIndexed.ts';
import { usePage } from '../../shared/usePage.ts';
import { usePeriod } from '../../shared/period.ts';
import CampaignsToday from './CampaignsToday.vue';
import PaceToday from './PaceToday.vue';
import WhatChanged from './WhatChanged.vue';

const session = useSession();
const parts = useParts();
const report = shallowRef<CampaignsReport | null>(null);
const attention = ref<Attention[] | null>(null);
const failure = ref('');
const attentionFailure = ref('');
const latest = usePage('listConversions', () => ({ limit: 8 }));

const { today } = usePeriod();
const TREND_DAYS = 14;
const { building, indexed } = useIndexed(() => void loadFigures());
const [asksFigures, asksAttention] = [newest(), newest()];
const loadFigures = (): Promise<void> =>
  asksFigures(
    indexed(() =>
      ask('campaignsReport', { query: { from: today.value, to: today.value, trend: TREND_DAYS } }),
    ),
    (found) => {
      report.value = found;
      failure.value = '';
    },
    (why) => (failure.value = why),
  );
const loadAttention = (): Promise<void> =>
  asksAttention(
    ask('attention'),
    (found) => {
      attention.value = found;
      attentionFailure.value = '';
    },
    (why) => (attentionFailure.value = why),
  );
const load = (): Promise<unknown> => Promise.all([loadFigures(), loadAttention()]);
const pasted = usePasted();
onMounted(() => Promise.all([load(), pasted.load()]));
/** What the server says, and the links that a changed source asks to be pasted again. */
const needs = computed(() => [
  ...(attention.value ?? []),
  ...pasted.stale.map((c) => ({
    code: 'link_to_paste',
    count: 1,
    sentence: `${c.body.name}: the source’s parameters changed after you pasted the tracking link. Paste it again, then mark it as pasted.`,
    to: `/campaigns/${c.id}`,
  })),
]);
onNews(['numbers'], loadFigures, 2000);
onNews(['conversions'], latest.load, 1200);
onNews(['visits', 'conversions', 'postbacks-in', 'postbacks-out'], loadAttention, 1200);
const firstSteps = computed(() => parts.state === 'ready' && parts.of('campaign').length === 0);
const steps = computed(() => [
  {
    words: 'Network: the company that pays you, and the postback URL to give it',
    to: '/parts/network?new=1',
    done: parts.of('network').length > 0,
  },
  {
    words: 'Traffic source: the ad network you pay, and its macros',
    to: '/parts/source?new=1',
    done: parts.of('source').length > 0,
  },
  {
    words: 'Offer: what you promote, with our click ID in its link',
    to: '/parts/offer?new=1',
    done: parts.of('offer').length > 0,
  },
  { words: 'Campaign: the tracking link to paste into the source', to: '/set-up', done: false },
]);
</script>
<template>
  <PageHead
    title="Today"
    :says="
      report
        ? `Figures for ${dayName(report.to)} (by visit day) and what needs your attention.`
        : 'Today’s figures and what needs your attention.'
    "
    ><LiveMark
  /></PageHead>
  <section v-if="firstSteps" class="sheet pad" aria-label="First steps">
    <h2>Set up your first campaign</h2>
    <p class="quiet">
      A campaign has four parts. Set them up on one page, then send a test visit and see its conversion come
      back.
    </p>
    <p class="row begin"><RouterLink class="button main" to="/set-up">Set up a campaign</RouterLink></p>
    <ol>
      <li v-for="s in steps" :key="s.to">
        <component :is="s.done ? CircleCheck : Circle" :size="14" aria-hidden="true" />
        <RouterLink :to="s.to">{{ s.words }}</RouterLink><span v-if="s.done" class="quiet">done</span>
      </li>
    </ol>
  </section>
  <div v-else class="stack">
    <BuildingNote v-if="building" :building="building" />
    <StateBlock v-else-if="failure" class="sheet" state="failed" :words="failure" @again="loadFigures" />
    <FiguresLine v-else-if="report" :figures="report.total" :currency="session.desk.currency" />
    <StateBlock v-else class="sheet" state="loading" />
    <StateBlock
      v-if="attentionFailure"
      class="sheet"
      state="failed"
      :words="attentionFailure"
      @again="loadAttention"
    />
    <section v-if="needs.length" class="sheet" aria-label="Needs attention">
      <h2 class="pad">Needs attention</h2>
      <ul class="attention">
        <li
          v-for="a in needs"
          :key="a.code + a.to"
          :class="{
            red: ['unrecorded_visits', 'refused_postbacks', 'broken_campaign', 'servers_behind'].includes(
              a.code,
            ),
          }"
        >
          <CircleAlert :size="16" aria-hidden="true" />
          <span>{{ a.sentence }}</span>
          <RouterLink :to="a.to">Review</RouterLink>
        </li>
      </ul>
    </section>
    <section v-else-if="attention" class="sheet pad quiet">
      Nothing needs attention. All postbacks are processed and all sources have their postbacks.
    </section>
    <PaceToday />
    <WhatChanged />
    <div class="two">
      <section class="sheet" aria-label="Campaigns today">
        <h2 class="pad">Campaigns today</h2>
        <CampaignsToday v-if="report" :report="report" />
        <p v-else-if="failure" class="quiet pad">There are no figures right now. See the reason above.</p>
        <StateBlock v-else state="loading" />
      </section>
      <section class="sheet" aria-label="Latest conversions">
        <h2 class="pad">Latest conversions</h2>
        <LatestConversions
          :rows="latest.rows.value"
          :state="latest.state.value"
          :failure="latest.failure.value"
          with-campaign
          @again="latest.load"
        />
      </section>
    </div>
  </div>
</template>
<style scoped>
.attention {
  list-style: none;
  margin: 0;
  padding: 0 0 6px;
}
.attention li {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 5px 14px;
}
.attention li svg {
  color: var(--error);
  flex: none;
}
.attention .red {
  color: var(--error);
  font-weight: 600;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 12px;
}
.begin {
  margin: 12px 0;
}
ol {
  list-style: none;
  padding: 0;
  line-height: 2;
  margin: 8px 0 0;
}
ol li {
  display: flex;
  gap: 8px;
  align-items: center;
}
ol svg {
  flex: none;
}
@media (max-width: 1000px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
