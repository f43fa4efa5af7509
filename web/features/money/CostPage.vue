<script setup lang="ts">
/** What sources billed: where cost comes from, visits whose cost wants a look, and what was added by hand or by file. */
import Button from 'primevue/button';
import { Plus } from '@lucide/vue';
import { ref } from 'vue';
import type { CostLoad } from '@tracheon/core/contract';
import { useKeys } from '../../app/keys.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import ListHead from '../../shared/ListHead.vue';
import PeriodChoice from '../../shared/PeriodChoice.vue';
import ServerList from '../../shared/ServerList.vue';
import { useList } from '../../shared/useList.ts';
import { moment } from '../../ui/format.ts';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import AddCost from './AddCost.vue';
import CostChecks from './CostChecks.vue';
import CostLoadSheet from './CostLoadSheet.vue';
import CostOrigins from './CostOrigins.vue';
import { daysWords, kindWords, sumWords } from './costWords.ts';
import MoneyNav from './MoneyNav.vue';

const session = useSession();
const parts = useParts();
const list = useList('listCosts', ['source']);
const adding = ref(false);
const shown = ref<CostLoad | null>(null);
onNews(['numbers'], list.load, 5000);
const filters = () => [
  {
    name: 'source',
    label: 'Source',
    options: parts.of('source').map((s) => ({ value: s.id, label: s.body.name })),
  },
];
useKeys([{ key: 'n', words: 'Add cost', run: () => session.canEdit && (adding.value = true) }]);
</script>
<template>
  <PageHead
    title="Cost"
    says="Add what your sources billed. It replaces the cost that Tracheon estimated or took from links."
  >
    <RouterLink v-if="session.canEdit" class="button" to="/money/cost/file">Load cost file</RouterLink>
    <Button v-if="session.canEdit" @click="adding = true"
      ><Plus :size="16" aria-hidden="true" /> Add cost <kbd>N</kbd></Button
    >
  </PageHead>
  <MoneyNav class="bar" />
  <div class="row bar"><PeriodChoice /></div>
  <CostOrigins class="bar" />
  <CostChecks class="bar" />
  <h2 class="bar">Added costs</h2>
  <ListHead
    v-model:search="list.search.value"
    v-model:chosen="list.chosen"
    class="bar"
    :filters="filters()"
    searches="costs"
    placeholder="Source, file or note"
  />
  <ServerList
    :list="list"
    name="costs"
    label="Added costs"
    :pick="(row) => (shown = row)"
    :columns="[
      { key: 'at', label: 'Added', sort: (r) => r.at, fixed: true },
      { key: 'source', label: 'Source' },
      { key: 'days', label: 'Days' },
      { key: 'sum', label: 'Amount', num: true },
      { key: 'what', label: 'From' },
      { key: 'by', label: 'By' },
      { key: 'state', label: 'State' },
    ]"
  >
    <template #at="{ row }"
      ><Button variant="link" @click.stop="shown = row">{{
        moment(row.at, session.desk.zone)
      }}</Button></template
    >
    <template #source="{ row }">{{ row.sourceName }}</template>
    <template #days="{ row }">{{ daysWords(row) }}</template>
    <template #sum="{ row }">{{ sumWords(row) }}</template>
    <template #what="{ row }">{{
      row.kind !== 'hand' ? row.fileName || kindWords[row.kind] : row.notes || kindWords[row.kind]
    }}</template>
    <template #by="{ row }">{{ row.by }}</template>
    <template #state="{ row }">{{ row.isUndone ? 'undone' : 'counts' }}</template>
    <template #empty>
      <StateBlock
        v-if="list.isNarrowed.value"
        state="empty"
        title="No cost matches"
        words="Change the search or the filters."
      />
      <StateBlock
        v-else
        state="empty"
        title="No cost added yet"
        words="Add the amount that a source billed for a day or a period, or load its cost file. Tracheon spreads it over the visits of those days. Example: Moorhen Push, 1–7 November, 412.50 EUR."
      >
        <Button v-if="session.canEdit" @click="adding = true">Add cost</Button>
      </StateBlock>
    </template>
  </ServerList>
  <AddCost v-if="adding" v-model:open="adding" @added="list.load" />
  <CostLoadSheet v-if="shown" :key="shown.id" :load="shown" @closed="shown = null" @changed="list.load" />
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
</style>
