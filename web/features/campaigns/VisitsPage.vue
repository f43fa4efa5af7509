<script setup lang="ts">
/** The visits of one campaign: what is behind the shares of its trail. */
import { visitKinds, type VisitKind } from '@tracheon/core/contract';
import { computed } from 'vue';
import { useRoute } from 'vue-router';
import { useParts } from '../../app/parts.ts';
import { onNews } from '../../app/stream.ts';
import ListHead from '../../shared/ListHead.vue';
import LiveMark from '../../shared/LiveMark.vue';
import MoreRows from '../../ui/MoreRows.vue';
import PageHead from '../../ui/PageHead.vue';
import { useList } from '../../shared/useList.ts';
import LatestVisits from '../../shared/LatestVisits.vue';

const route = useRoute();
const parts = useParts();
const id = String(route.params.id);
const campaign = computed(() => parts.one('campaign', id));
const list = useList('listVisits', ['kind', 'hours'], { campaign: id });
onNews(['visits'], list.load);
const kindWords: Record<VisitKind, string> = {
  counted: 'without bots and tests',
  with_click_id: 'with a source click ID',
  without_click_id: 'without a source click ID',
  unfilled: 'with an unfilled macro',
  to_page: 'sent to the page',
  clicked: 'clicked a button',
  to_offer: 'sent to the offer',
  fallback: 'sent to a fallback',
  bot: 'bots',
  test: 'tests',
  repeat: 'repeats',
  no_cost: 'without a cost in the link',
  unreadable_cost: 'with an unreadable cost',
  odd_cost: 'with an unusual cost',
};
const filters = [
  { name: 'kind', label: 'Visits', options: visitKinds.map((k) => ({ value: k, label: kindWords[k] })) },
  {
    name: 'hours',
    label: 'Time',
    options: [
      { value: '24', label: 'last 24 hours' },
      { value: '168', label: 'last 7 days' },
    ],
  },
];
</script>
<template>
  <PageHead
    title="Visits"
    :says="`Visits of ${campaign?.body.name ?? 'this campaign'} in the last 31 days. Open a visit to see its ID trail and raw requests.`"
  >
    <LiveMark />
    <RouterLink class="button" :to="`/campaigns/${id}`">Open campaign</RouterLink>
  </PageHead>
  <ListHead
    v-model:search="list.search.value"
    v-model:chosen="list.chosen"
    class="bar"
    :filters="filters"
    searches="visits"
    placeholder="Click ID, source click ID or part of the query"
  />
  <section class="sheet" aria-label="Visits">
    <LatestVisits
      v-model:sort="list.sort.value"
      :rows="list.rows.value"
      :state="list.state.value"
      :failure="list.failure.value"
      :is-narrowed="list.isNarrowed.value"
      @again="list.load"
    />
    <MoreRows :next="list.next.value" :failure="list.moreFailure.value" @more="list.more" />
  </section>
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
</style>
