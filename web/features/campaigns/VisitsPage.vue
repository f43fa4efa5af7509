<script setup lang="ts">
/** The visits of one campaign: what is behind the shares of its trail. */
import InputText from 'primevue/inputtext';
import type { VisitRow } from '@tracheon/core/contract';
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';
import { useParts } from '../../app/parts.ts';
import { onNews } from '../../app/stream.ts';
import LiveMark from '../../shared/LiveMark.vue';
import MoreRows from '../../ui/MoreRows.vue';
import PageHead from '../../ui/PageHead.vue';
import { usePage } from '../../shared/usePage.ts';
import LatestVisits from './LatestVisits.vue';

const route = useRoute();
const parts = useParts();
const id = String(route.params.id);
const search = ref(String(route.query.search ?? ''));
const campaign = computed(() => parts.one('campaign', id));
const list = usePage<VisitRow>('/visits', () => ({ campaign: id, search: search.value, limit: 50 }));
onNews(['visits'], list.load);
</script>
<template>
  <PageHead
    title="Visits"
    :says="`Visits of ${campaign?.body.name ?? 'this campaign'} in the last 31 days, newest first. Open a visit to see its ID trail and raw requests.`"
  >
    <LiveMark />
    <RouterLink class="button" :to="`/campaigns/${id}`">Open campaign</RouterLink>
  </PageHead>
  <div class="row bar">
    <InputText
      v-model="search"
      type="search"
      class="search"
      placeholder="Click ID, source click ID or part of the query"
      aria-label="Search visits"
    />
  </div>
  <section class="sheet" aria-label="Visits">
    <LatestVisits
      :rows="list.rows.value"
      :state="list.state.value"
      :failure="list.failure.value"
      @again="list.load"
    />
    <MoreRows :next="list.next.value" :failure="list.moreFailure.value" @more="list.more" />
  </section>
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
.search {
  width: 340px;
  max-width: 100%;
}
</style>
