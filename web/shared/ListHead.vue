<script setup lang="ts">
/** Above a list of the server: its search, and one choice for each filter. */
import InputText from 'primevue/inputtext';
import PickOne, { type Choice } from '../ui/PickOne.vue';

export interface ListFilter {
  /** The parameter that it narrows by. */
  name: string;
  label: string;
  options: Choice<string>[];
}
defineProps<{ filters: ListFilter[]; searches: string; placeholder?: string }>();
const search = defineModel<string>('search', { required: true });
const chosen = defineModel<Record<string, string>>('chosen', { required: true });
</script>
<template>
  <div class="row filters" role="search">
    <PickOne
      v-for="f in filters"
      :key="f.name"
      v-model="chosen[f.name]"
      class="filter"
      :aria-label="f.label"
      :options="[{ value: '', label: `${f.label}: all` }, ...f.options]"
    />
    <InputText
      v-model="search"
      class="search"
      type="search"
      :placeholder="placeholder ?? 'Search'"
      :aria-label="`Search ${searches}`"
    />
  </div>
</template>
<style scoped>
.filters {
  flex-wrap: wrap;
}
.search {
  width: 220px;
  max-width: 100%;
}
.filter {
  width: fit-content;
  min-width: 158px;
  max-width: 260px;
}
@media (max-width: 640px) {
  .filter {
    flex: 1 1 40%;
  }
  .search {
    flex: 1 1 100%;
  }
}
</style>
