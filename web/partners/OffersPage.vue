<script setup lang="ts">
/** Offers that the partner may promote or ask for. */
import InputText from 'primevue/inputtext';
import { computed, ref } from 'vue';
import { useAnswer } from '../base/useAnswer.ts';
import PageHead from '../ui/PageHead.vue';
import PickOne from '../ui/PickOne.vue';
import StateBlock from '../ui/StateBlock.vue';
import { ask } from './ask.ts';
import { accessWords, mayPromote, mustAccept, placeWords, stateWords } from './offerWords.ts';

const {
  answer: offers,
  failure,
  load,
} = useAnswer(
  () => 'offers',
  () => ask('offers'),
);
const search = ref('');
const category = ref('');
const categories = computed(() => [
  ...new Set((offers.value ?? []).map((o) => o.category).filter((c) => c !== '')),
]);
const shown = computed(() =>
  (offers.value ?? []).filter(
    (o) =>
      (category.value === '' || o.category === category.value) &&
      `${o.name} ${o.category} ${o.description} ${placeWords(o)}`
        .toLowerCase()
        .includes(search.value.trim().toLowerCase()),
  ),
);
</script>
<template>
  <PageHead title="Offers" says="What you can promote, and what you get for it.">
    <InputText
      v-if="(offers?.length ?? 0) > 3"
      v-model="search"
      placeholder="Search offers"
      aria-label="Search offers"
    />
    <PickOne
      v-if="categories.length > 1"
      v-model="category"
      :options="[{ value: '', label: 'All categories' }, ...categories.map((c) => ({ value: c, label: c }))]"
      aria-label="Category"
    />
  </PageHead>
  <StateBlock v-if="failure && !offers" class="sheet" state="failed" :words="failure" @again="load" />
  <StateBlock v-else-if="!offers" class="sheet" state="loading" />
  <StateBlock
    v-else-if="offers.length === 0"
    class="sheet"
    state="empty"
    title="No offers yet"
    words="When an offer is opened to you, it appears here."
  />
  <p v-else-if="shown.length === 0" class="quiet">No offer matches.</p>
  <ul v-else class="offers">
    <li v-for="o in shown" :key="o.id" class="sheet">
      <div class="row top">
        <h2>
          <RouterLink :to="`/offers/${o.id}`">{{ o.name }}</RouterLink>
        </h2>
        <span v-if="o.category" class="quiet">{{ o.category }}</span>
      </div>
      <p class="quiet">{{ placeWords(o) }} · {{ stateWords(o) }}</p>
      <dl>
        <template v-for="p in o.pays" :key="p.event">
          <dt>{{ p.event }}</dt>
          <dd>{{ p.amount }}</dd>
        </template>
      </dl>
      <p :class="{ quiet: mayPromote(o) && !mustAccept(o) }">{{ accessWords(o) }}</p>
    </li>
  </ul>
</template>
<style scoped>
.offers {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 10px;
}
.offers li {
  padding: 12px 14px;
  display: grid;
  gap: 4px;
}
.top {
  justify-content: space-between;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 2px 16px;
  margin: 2px 0;
}
dd {
  margin: 0;
  font-weight: 600;
  font-variant-numeric: tabular-nums;
}
</style>
