<script setup lang="ts">
/** Visits without a cost in the link, or with one that is hard to believe; nothing is shown while all is well. */
import type { CostChecks } from '@tracheon/core/contract';
import { daysIn, shiftDay } from '@tracheon/core/time';
import { computed, ref, watch } from 'vue';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { usePeriod } from '../../shared/period.ts';
import { count } from '../../ui/format.ts';
import StateBlock from '../../ui/StateBlock.vue';
import { checkWords } from './costWords.ts';

const MAX_DAYS = 31;
const { range } = usePeriod();
const rows = ref<CostChecks>([]);
const failure = ref('');
/** The last days of a longer period. */
const asked = computed(() =>
  daysIn(range.value) <= MAX_DAYS
    ? range.value
    : { from: shiftDay(range.value.to, 1 - MAX_DAYS), to: range.value.to },
);
const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('costChecks', { query: asked.value }),
    (found) => {
      rows.value = found;
      failure.value = '';
    },
    (why) => (failure.value = why),
  );
watch(asked, load, { immediate: true });
</script>
<template>
  <section v-if="failure || rows.length > 0" class="sheet pad" aria-label="Cost to check">
    <h2>Cost to check</h2>
    <StateBlock v-if="failure" state="failed" :words="failure" @again="load" />
    <ul v-else>
      <li v-for="row in rows" :key="row.campaignId + row.note">
        <RouterLink :to="`/campaigns/${row.campaignId}/visits?kind=${row.note}`"
          >{{ row.campaignName }}:
          {{ row.visits === 1 ? '1 visit' : `${count(row.visits)} visits` }}</RouterLink
        >
        <span class="quiet"> · {{ checkWords[row.note] }}</span>
      </li>
    </ul>
  </section>
</template>
<style scoped>
ul {
  margin: 6px 0 0;
  padding-left: 18px;
}
</style>
