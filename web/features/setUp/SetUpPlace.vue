<script setup lang="ts">
/** Gives each sheet a page of its own; one that gets its address while it is typed on stays as it is. */
import { ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import SetUpPage from './SetUpPage.vue';

const route = useRoute();
const id = ref(String(route.params.id ?? ''));
const key = ref(0);
watch(
  () => route.params.id,
  (now) => {
    const next = String(now ?? '');
    // Leaving for another screen takes the parameter away as well.
    if (next === id.value || !route.path.startsWith('/set-up')) return;
    id.value = next;
    key.value++;
  },
);
</script>
<template>
  <SetUpPage :key="key" :start="id" @begun="id = $event" />
</template>
