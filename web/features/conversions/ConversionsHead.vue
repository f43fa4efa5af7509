<script setup lang="ts">
import PickOne from '../../ui/PickOne.vue';
import InputText from 'primevue/inputtext';
import LiveMark from '../../shared/LiveMark.vue';
import PageHead from '../../ui/PageHead.vue';

defineProps<{ title: string; says: string; kinds: readonly string[]; kindLabel: string }>();
const search = defineModel<string>('search', { required: true });
const kind = defineModel<string>('kind', { required: true });
const places = [
  ['/conversions/postbacks-in', 'Postbacks in'],
  ['/conversions/all', 'Conversions'],
  ['/conversions/postbacks-out', 'Postbacks out'],
] as const;
</script>
<template>
  <PageHead :title="title" :says="says"><LiveMark /></PageHead>
  <div class="row spread bar">
    <nav class="segments" aria-label="Conversions">
      <RouterLink v-for="[to, word] in places" :key="to" :to="to">{{ word }}</RouterLink>
    </nav>
    <div class="row">
      <PickOne
        v-model="kind"
        class="kind"
        :aria-label="kindLabel"
        :options="[
          { value: '', label: `${kindLabel}: all` },
          ...kinds.map((k) => ({ value: k, label: k === 'repair' ? 'needs repair' : k })),
        ]"
      />
      <InputText
        v-model="search"
        class="search"
        type="search"
        placeholder="Search"
        :aria-label="`Search ${title.toLowerCase()}`"
      />
    </div>
  </div>
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
.search {
  width: 220px;
}
.kind {
  width: 170px;
}
</style>
