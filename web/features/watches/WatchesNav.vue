<script setup lang="ts">
/** The places of this area. */
import { useRoute } from 'vue-router';

const route = useRoute();
const places = [
  ['/watches', 'Watches'],
  ['/watches/signals', 'Signal watches'],
  ['/watches/notices', 'Notices'],
  ['/watches/delivery', 'Delivery'],
] as const;
</script>
<template>
  <nav class="segments" aria-label="Watches">
    <RouterLink
      v-for="[to, word] in places"
      :key="to"
      :class="{ 'router-link-active': route.path === to }"
      :to="to"
      >{{ word }}</RouterLink
    >
  </nav>
</template>
