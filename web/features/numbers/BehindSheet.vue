<script setup lang="ts">
/** What is behind a row: its visits or its conversions, newest first, each with its ID trail. */
import { writeWhere, type ValueFilter } from '@tracheon/core/contract';
import { ref } from 'vue';
import LatestConversions from '../../shared/LatestConversions.vue';
import LatestVisits from '../../shared/LatestVisits.vue';
import { usePage } from '../../shared/usePage.ts';
import VisitSheet from '../../shared/VisitSheet.vue';
import MoreRows from '../../ui/MoreRows.vue';
import SegmentChoice from '../../ui/SegmentChoice.vue';
import SideSheet from '../../ui/SideSheet.vue';

const props = defineProps<{
  title: string;
  period: { from: string; to: string };
  filters: ValueFilter[];
  dayOf: 'visit' | 'conversion';
  begin: 'visits' | 'conversions';
}>();
const open = defineModel<boolean>('open', { required: true });
const shown = ref(props.begin);
const where = writeWhere(props.filters);
const visits = usePage('listVisits', () => ({ ...props.period, where, limit: 50 }));
const conversions = usePage('listConversions', () => ({
  ...props.period,
  where,
  dayOf: props.dayOf,
  tests: 'none' as const,
  limit: 50,
}));
const clickId = ref('');
const visitOpen = ref(false);
function trail(id: string): void {
  clickId.value = id;
  visitOpen.value = true;
}
</script>
<template>
  <SideSheet
    v-model:open="open"
    :title="title"
    says="Newest first. Select a row to see the ID trail of its visit."
  >
    <SegmentChoice
      v-model="shown"
      label="What is shown"
      :options="[
        { value: 'visits', label: 'Visits' },
        { value: 'conversions', label: 'Conversions' },
      ]"
    />
    <template v-if="shown === 'visits'">
      <p class="quiet">Bots, repeats and tests are listed too, with their marks.</p>
      <LatestVisits
        :rows="visits.rows.value"
        :state="visits.state.value"
        :failure="visits.failure.value"
        is-narrowed
        @again="visits.load"
      />
      <MoreRows :next="visits.next.value" :failure="visits.moreFailure.value" @more="visits.more" />
    </template>
    <template v-else>
      <LatestConversions
        :rows="conversions.rows.value"
        :state="conversions.state.value"
        :failure="conversions.failure.value"
        :pick="(row) => row.clickId !== '' && trail(row.clickId)"
        with-campaign
        is-narrowed
        @again="conversions.load"
      />
      <MoreRows
        :next="conversions.next.value"
        :failure="conversions.moreFailure.value"
        @more="conversions.more"
      />
    </template>
    <VisitSheet v-if="clickId" v-model:open="visitOpen" :click-id="clickId" />
  </SideSheet>
</template>
