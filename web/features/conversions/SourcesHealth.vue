<script setup lang="ts">
/** How each source took the postbacks of the last days, in one line each. */
import { HEALTH_DAYS, type SourceHealth } from '@tracheon/core/contract';
import { onMounted, shallowRef } from 'vue';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import FoldBlock from '../../ui/FoldBlock.vue';
import { moment } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import type { Column } from '../../ui/tableColumns.ts';

const session = useSession();
const rows = shallowRef<SourceHealth[]>([]);
const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('sourcesHealth'),
    (found) => (rows.value = found),
    // The last that is known stays; the list below says what is wrong.
    () => undefined,
  );
onMounted(load);
onNews(['postbacks-out'], load);
const columns: Column<SourceHealth>[] = [
  { key: 'source', label: 'To', sort: (r) => r.sourceName, csv: (r) => r.sourceName },
  { key: 'delivered', label: 'Delivered', num: true, sort: (r) => r.delivered, csv: (r) => r.delivered },
  { key: 'waiting', label: 'Waiting', num: true, sort: (r) => r.waiting, csv: (r) => r.waiting },
  { key: 'gaveUp', label: 'Gave up', num: true, sort: (r) => r.gaveUp, csv: (r) => r.gaveUp },
  { key: 'median', label: 'Median answer', num: true, csv: (r) => r.medianMs ?? '' },
  { key: 'failure', label: 'Last failed attempt', csv: (r) => r.lastFailure?.result ?? '' },
];
</script>
<template>
  <FoldBlock v-if="rows.length > 0" :title="`Sources in the last ${HEALTH_DAYS} days`">
    <ListTable :rows="rows" :row-key="(r) => r.sourceId" :columns="columns" label="Postbacks by source">
      <template #source="{ row }">{{ row.sourceName }}</template>
      <template #delivered="{ row }">{{ row.delivered }}</template>
      <template #waiting="{ row }">{{ row.waiting }}</template>
      <template #gaveUp="{ row }"
        ><strong v-if="row.gaveUp > 0" class="bad">{{ row.gaveUp }}</strong
        ><template v-else>0</template></template
      >
      <template #median="{ row }">{{ row.medianMs === null ? '–' : `${row.medianMs} ms` }}</template>
      <template #failure="{ row }"
        ><template v-if="row.lastFailure"
          >{{ row.lastFailure.result }}, {{ moment(row.lastFailure.at, session.desk.zone) }}</template
        ><span v-else class="quiet">none</span></template
      >
    </ListTable>
  </FoldBlock>
</template>
<style scoped src="./lists.css"></style>
<style scoped>
.bad {
  color: var(--loss);
}
</style>
