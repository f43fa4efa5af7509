<script setup lang="ts">
/** Title of a list of this area, the way to the others, and what the list is narrowed by. */
import LiveMark from '../../shared/LiveMark.vue';
import ListHead, { type ListFilter } from '../../shared/ListHead.vue';
import PageHead from '../../ui/PageHead.vue';
import ConversionsNav from './ConversionsNav.vue';

defineProps<{ title: string; says: string; filters: ListFilter[] }>();
const search = defineModel<string>('search', { required: true });
const chosen = defineModel<Record<string, string>>('chosen', { required: true });
</script>
<template>
  <PageHead :title="title" :says="says"><LiveMark /><slot /></PageHead>
  <div class="row spread bar">
    <ConversionsNav />
    <ListHead
      v-model:search="search"
      v-model:chosen="chosen"
      :filters="filters"
      :searches="title.toLowerCase()"
    />
  </div>
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
</style>
