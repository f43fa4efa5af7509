<script setup lang="ts">
import Button from 'primevue/button';
import type { VisitRow } from '@tracheon/core/contract';
import { ref } from 'vue';
import { useSession } from '../app/session.ts';
import { countryName, money, moment } from '../ui/format.ts';
import ListTable, { type Column } from '../ui/ListTable.vue';
import StateBlock from '../ui/StateBlock.vue';
import VisitSheet from './VisitSheet.vue';
import { visitMarks } from './visitWords.ts';

defineProps<{
  rows: VisitRow[];
  state: 'loading' | 'ready' | 'failed';
  failure?: string;
  /** A search or filter leaves rows out. */
  isNarrowed?: boolean;
}>();
/** With it the list can be sorted, by the server. */
const sort = defineModel<string>('sort');
defineEmits<{ again: [] }>();
const session = useSession();
const columns: Column<VisitRow>[] = [
  { key: 'at', label: 'Time', ...(sort.value === undefined ? {} : { sort: (v: VisitRow) => v.at }) },
  { key: 'who', label: 'Visitor' },
  { key: 'subs', label: 'Sub-IDs' },
  { key: 'source', label: 'Source click ID' },
  { key: 'marks', label: 'Marks' },
  { key: 'cost', label: 'Cost', num: true },
];
const subsText = (v: VisitRow): string =>
  Object.entries(v.subs)
    .map(([name, value]) => `${name} ${value}`)
    .join(', ');
const chosen = ref('');
const open = ref(false);
function show(row: VisitRow): void {
  chosen.value = row.id;
  open.value = true;
}
</script>
<template>
  <ListTable
    :rows="rows"
    :columns="columns"
    :state="state"
    :failure="failure"
    label="Latest visits"
    :pick="show"
    :sort-by="sort"
    sorts-on-server
    @sort="sort = $event"
    @again="$emit('again')"
  >
    <template #empty
      ><StateBlock
        v-if="isNarrowed"
        state="empty"
        title="No matching visits"
        words="Change the filters or the search." /><StateBlock
        v-else
        state="empty"
        title="No visit yet"
        words="Open the tracking link in a private window or send a visit from the practice ad network. It appears here within two seconds."
    /></template>
    <template #at="{ row }"
      ><Button variant="link" class="nowrap" :title="`click ID ${row.id}`" @click.stop="show(row)">
        {{ moment(row.at, session.desk.zone) }}
      </Button></template
    >
    <template #who="{ row }"
      ><span
        class="nowrap"
        :title="`${row.browser} on ${row.os}, ${row.language || 'no language'}, from ${row.referrerHost || 'no referrer'}`"
        ><abbr v-if="row.country" :title="countryName(row.country)">{{ row.country }}</abbr
        ><span v-else>–</span> · {{ row.device || 'unknown' }} · {{ row.browser || '–' }}</span
      ></template
    >
    <template #subs="{ row }"
      ><span class="subs" :title="subsText(row)"
        ><span v-for="(value, name) in row.subs" :key="name" class="sub"
          ><span class="quiet">{{ name }}</span> <code>{{ value }}</code></span
        ></span
      ></template
    >
    <template #source="{ row }"
      ><code class="short" :title="row.sourceClickId">{{ row.sourceClickId || '–' }}</code></template
    >
    <template #marks="{ row }">{{ visitMarks(row) }}</template>
    <template #cost="{ row }">{{
      row.costMicros === null ? '–' : `${money(row.costMicros, 4)} ${row.costCurrency}`
    }}</template>
  </ListTable>
  <VisitSheet v-if="chosen" v-model:open="open" :click-id="chosen" />
</template>
<style scoped>
.nowrap {
  white-space: nowrap;
}
.sub {
  margin-right: 10px;
}
.subs {
  display: inline-block;
  max-width: 180px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  vertical-align: middle;
}
.short {
  display: inline-block;
  max-width: 110px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  vertical-align: middle;
}
abbr {
  text-decoration: none;
}
</style>
