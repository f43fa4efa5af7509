<script setup lang="ts">
import type { VisitRow } from '@tracheon/core/contract';
import { useSession } from '../../app/session.ts';
import { countryName, money, moment } from '../../shared/format.ts';
import ListTable, { type Column } from '../../shared/ListTable.vue';
import StateBlock from '../../shared/StateBlock.vue';

defineProps<{ rows: VisitRow[]; state: 'loading' | 'ready' | 'failed'; failure?: string }>();
defineEmits<{ again: [] }>();
const session = useSession();
const columns: Column<VisitRow>[] = [
  { key: 'at', label: 'Time' },
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
const marks = (v: VisitRow): string =>
  [
    v.isBot && 'bot',
    v.isRepeat && 'repeat',
    v.isTest && 'test',
    !v.isBot && !v.isRepeat && (v.isUnique ? 'unique' : 'returning'),
    v.notes.some((n) => n.startsWith('unsubstituted')) && 'macro unfilled',
  ]
    .filter(Boolean)
    .join(', ');
</script>
<template>
  <ListTable
    :rows="rows"
    :columns="columns"
    :state="state"
    :failure="failure"
    label="Latest visits, table"
    @again="$emit('again')"
  >
    <template #empty
      ><StateBlock
        state="empty"
        title="No visit yet"
        words="Open the tracking link in a private window, or send one from the practice ad network: it appears here within two seconds."
    /></template>
    <template #at="{ row }"
      ><span class="nowrap" :title="`click ID ${row.id}`">{{
        moment(row.at, session.desk.zone)
      }}</span></template
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
    <template #marks="{ row }">{{ marks(row) }}</template>
    <template #cost="{ row }">{{
      row.costMicros === null ? '–' : `${money(row.costMicros, 4)} ${row.costCurrency}`
    }}</template>
  </ListTable>
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
