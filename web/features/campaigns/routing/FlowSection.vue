<script setup lang="ts">
/** What really happened on this campaign in the chosen period. */
import type { PartRecord, RecentCampaign, Routing } from '@tracheon/core/contract';
import { MAX_RECENT_VISITS } from '@tracheon/core/contract';
import { branchesOf, OTHERWISE } from '@tracheon/core/routing';
import { computed, defineAsyncComponent, ref, watch } from 'vue';
import { ask } from '../../../app/api.ts';
import { newest } from '../../../base/newest.ts';
import { useParts } from '../../../app/parts.ts';
import PeriodChoice from '../../../shared/PeriodChoice.vue';
import { usePeriod } from '../../../shared/period.ts';
import { count } from '../../../ui/format.ts';
import StateBlock from '../../../ui/StateBlock.vue';
import { flowOf } from './flow.ts';

/** Charts are heavy and wanted only here. */
const FlowChart = defineAsyncComponent(() => import('./FlowChart.vue'));

const props = defineProps<{
  part: PartRecord<'campaign'>;
  routing: Routing;
  letters: (id: string) => string;
}>();
const parts = useParts();
const { range } = usePeriod();
const recent = ref<RecentCampaign | null>(null);
const failure = ref('');
const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('recentCampaign', { id: props.part.id, query: { from: range.value.from, to: range.value.to } }),
    (answer) => {
      failure.value = '';
      recent.value = answer;
    },
    (why) => (failure.value = why),
  );
watch(range, load, { immediate: true });
const nameOf = (id: string): string => parts.byId.get(id)?.body.name ?? 'a part that is gone';
const flow = computed(() => {
  const ways = branchesOf({ offerId: '', landingPageId: '', routing: props.routing });
  return flowOf(recent.value?.ways ?? [], {
    branch: (id) =>
      id === OTHERWISE ? 'Otherwise' : (ways.find((w) => w.id === id)?.name ?? 'An earlier branch'),
    pairing: (id, landingId) =>
      [props.letters(id) || 'Earlier pairing', landingId === '' ? 'no page' : nameOf(landingId)].join(' · '),
    offer: nameOf,
  });
});
</script>
<template>
  <section class="sheet pad" aria-label="What happened">
    <div class="row spread">
      <h2>What happened</h2>
      <PeriodChoice />
    </div>
    <StateBlock v-if="failure" state="failed" :words="failure" @again="load" />
    <StateBlock v-else-if="!recent" state="loading" />
    <p v-else-if="recent.visits === 0" class="quiet">No visits in this period.</p>
    <template v-else>
      <p class="quiet">
        {{ count(recent.visits) }} visits without bots, repeats and tests{{
          recent.isCut ? `: the newest ${count(MAX_RECENT_VISITS)} of the period` : ''
        }}. Letters are those of the routing above.
      </p>
      <FlowChart :flow="flow" />
    </template>
  </section>
</template>
