<script setup lang="ts">
/** How good the visits of a partner are: what looks wrong, how often, and the visits behind it. */
import Button from 'primevue/button';
import {
  qualityChecks,
  type PartnerQuality,
  type QualityCheck,
  type QualityVisit,
} from '@tracheon/core/contract';
import { computed, ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import { ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { useAnswer } from '../../base/useAnswer.ts';
import PeriodChoice from '../../shared/PeriodChoice.vue';
import { usePeriod } from '../../shared/period.ts';
import VisitSheet from '../../shared/VisitSheet.vue';
import { count, dayRange, moment, percent } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import type { Column } from '../../ui/tableColumns.ts';

const route = useRoute();
const parts = useParts();
const session = useSession();
const { range } = usePeriod();
const id = String(route.params.id);
const name = computed(() => parts.one('partner', id)?.body.name ?? 'Partner');
const asked = computed(() => `${range.value.from} ${range.value.to}`);
const { answer, failure, load } = useAnswer(
  () => asked.value,
  () => ask('partnerQuality', { id, query: { ...range.value } }),
);
type Check = PartnerQuality['checks'][number];
const columns: Column<Check>[] = [
  { key: 'check', label: 'What looks wrong', sort: (r) => qualityChecks[r.check].label },
  { key: 'count', label: 'Number', num: true, sort: (r) => r.count },
  { key: 'share', label: 'Share', num: true, sort: (r) => shareOf(r) ?? -1 },
  { key: 'acts', label: '(Actions)' },
];
const shareOf = (r: Check): number | null => (r.of === 0 ? null : r.count / r.of);
/** Nothing at all is known without ranges: a zero would read as good news. */
const isUnknown = (r: Check): boolean => r.unknown.startsWith('Not known');

const check = ref<QualityCheck | ''>('');
const visits = useAnswer(
  () => check.value && `${check.value} ${asked.value}`,
  () => ask('partnerQualityVisits', { id, query: { ...range.value, check: check.value as QualityCheck } }),
);
watch(asked, () => void (visits.answer.value = null));
const visitColumns: Column<QualityVisit>[] = [
  { key: 'at', label: 'Visit', sort: (r) => r.at, csv: (r) => r.at },
  { key: 'why', label: 'What is wrong', sort: (r) => r.why, csv: (r) => r.why },
  { key: 'campaign', label: 'Campaign', sort: (r) => r.campaignName, csv: (r) => r.campaignName },
  { key: 'country', label: 'Country', sort: (r) => r.country, csv: (r) => r.country },
  { key: 'client', label: 'Browser', csv: (r) => clientOf(r) },
  { key: 'prefix', label: 'Address', sort: (r) => r.addressPrefix, csv: (r) => r.addressPrefix },
  { key: 'subs', label: 'Sub-IDs', csv: (r) => subsOf(r) },
];
const clientOf = (r: QualityVisit): string => [r.browser, r.os].filter(Boolean).join(' on ');
const subsOf = (r: QualityVisit): string =>
  Object.entries(r.subs)
    .map(([sub, value]) => `${sub} ${value}`)
    .join(', ');
const opened = ref('');
const isOpen = ref(false);
function open(r: QualityVisit): void {
  opened.value = r.id;
  isOpen.value = true;
}
function seconds(n: number): string {
  if (n < 120) return `${Math.round(n)} seconds`;
  if (n < 7200) return `${Math.round(n / 60)} minutes`;
  return n < 172_800 ? `${Math.round(n / 3600)} hours` : `${Math.round(n / 86_400)} days`;
}
</script>
<template>
  <PageHead
    :title="`Traffic of ${name}`"
    :says="`${dayRange(range.from, range.to)}. Nothing here is left out of your numbers by itself: look, then decide.`"
  >
    <PeriodChoice />
    <RouterLink :to="`/conversions/all?partner=${id}`">Conversions</RouterLink>
    <RouterLink :to="`/parts/partner?open=${id}`">Partner</RouterLink>
  </PageHead>
  <StateBlock v-if="failure && !answer" class="sheet" state="failed" :words="failure" @again="load" />
  <template v-else>
    <p v-if="answer" class="sums">
      {{ count(answer.visits) }} visits, {{ count(answer.conversions) }} conversions<template
        v-if="answer.medianSeconds !== null"
        >; half of them within {{ seconds(answer.medianSeconds) }} after the visit</template
      >.
    </p>
    <section class="sheet" aria-label="Checks">
      <ListTable
        :rows="answer?.checks ?? []"
        :columns="columns"
        label="Checks"
        :state="answer ? 'ready' : 'loading'"
        :row-key="(r: Check) => r.check"
        @again="load"
      >
        <template #check="{ row }"
          ><strong>{{ qualityChecks[row.check].label }}</strong>
          <span class="quiet says">{{ row.unknown || qualityChecks[row.check].meaning }}</span></template
        >
        <template #count="{ row }">{{
          isUnknown(row) ? '–' : `${count(row.count)} of ${count(row.of)}`
        }}</template>
        <template #share="{ row }"
          ><span :title="`of ${count(row.of)}`">{{
            isUnknown(row) ? '–' : percent(shareOf(row))
          }}</span></template
        >
        <template #acts="{ row }"
          ><Button
            v-if="row.count > 0"
            size="small"
            severity="secondary"
            :aria-label="`Show visits: ${qualityChecks[row.check].label}`"
            :aria-pressed="check === row.check"
            @click="check = row.check"
            >Show visits</Button
          ></template
        >
      </ListTable>
    </section>
    <section v-if="check" class="sheet" aria-label="Visits">
      <h2 class="pad">{{ qualityChecks[check].label }}</h2>
      <ListTable
        :rows="visits.answer.value?.rows ?? []"
        :columns="visitColumns"
        name="partner-traffic"
        label="Visits"
        :state="visits.failure.value ? 'failed' : visits.answer.value ? 'ready' : 'loading'"
        :failure="visits.failure.value"
        :pick="open"
        @again="visits.load"
      >
        <template #empty
          ><StateBlock
            state="empty"
            title="No visits"
            words="The conversions behind this figure have no visit: the advertiser told them by the partner’s ID."
        /></template>
        <template #at="{ row }"
          ><Button variant="link" class="nowrap" @click="open(row)">{{
            moment(row.at, session.desk.zone)
          }}</Button></template
        >
        <template #why="{ row }">{{ row.why }}</template>
        <template #campaign="{ row }">{{ row.campaignName }}</template>
        <template #country="{ row }">{{ row.country || '–' }}</template>
        <template #client="{ row }">{{ clientOf(row) || '–' }}</template>
        <template #prefix="{ row }"><code>{{ row.addressPrefix || '–' }}</code></template>
        <template #subs="{ row }">{{ subsOf(row) || '–' }}</template>
      </ListTable>
      <p v-if="visits.answer.value?.isCut" class="quiet pad">
        The newest 200 are shown. Choose a shorter period for others.
      </p>
    </section>
  </template>
  <VisitSheet v-if="opened" v-model:open="isOpen" :click-id="opened" />
</template>
<style scoped>
.sums {
  margin-bottom: 8px;
}
section + section {
  margin-top: 12px;
}
.says {
  white-space: normal;
  margin-left: 6px;
}
.nowrap {
  white-space: nowrap;
}
</style>
