<script setup lang="ts" generic="R extends { id: string }">
/** A sheet with a list that the server sorts and pages: its table, its states, and the way to older rows. */
import type { Ref } from 'vue';
import ListTable, { type Column } from '../ui/ListTable.vue';
import MoreRows from '../ui/MoreRows.vue';

defineProps<{
  list: {
    rows: Ref<R[]>;
    next: Ref<string | null>;
    state: Ref<'loading' | 'ready' | 'failed'>;
    failure: Ref<string>;
    moreFailure: Ref<string>;
    sort: Ref<string>;
    sortBy: (by: string) => void;
    search: Ref<string>;
    load: () => Promise<void>;
    more: () => Promise<void>;
  };
  columns: Column<R>[];
  /** Under this name the member's layout is kept. */
  name: string;
  label: string;
  pick?: (row: R) => void;
}>();
defineSlots<Record<string, (props: { row: R }) => unknown> & { empty: () => unknown }>();
</script>
<template>
  <section class="sheet" :aria-label="label">
    <ListTable
      :rows="list.rows.value"
      :columns="columns"
      :state="list.state.value"
      :failure="list.failure.value"
      :name="name"
      :label="label"
      :sort-by="list.sort.value"
      sorts-on-server
      :search="list.search.value"
      :pick="pick"
      @sort="list.sortBy"
      @again="list.load"
    >
      <template #empty><slot name="empty" /></template>
      <template v-for="c in columns" :key="c.key" #[c.key]="{ row }"
        ><slot :name="c.key" :row="row"
      /></template>
    </ListTable>
    <MoreRows :next="list.next.value" :failure="list.moreFailure.value" @more="list.more" />
  </section>
</template>
