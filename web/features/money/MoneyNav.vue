<script setup lang="ts">
/** The places of this area. */
import { useRoute } from 'vue-router';

const route = useRoute();
const isHere = (to: string): boolean => route.path.startsWith(to);
const places = [
  ['/money/cost', 'Cost'],
  ['/money/feeds', 'Feeds'],
  ['/money/rates', 'Rates'],
  ['/money/statements', 'Statements'],
  ['/money/billing', 'Billing'],
  ['/money/decisions', 'Approval and delay'],
] as const;
</script>
<template>
  <nav class="segments" aria-label="Money">
    <RouterLink
      v-for="[to, word] in places"
      :key="to"
      :class="{ 'router-link-active': isHere(to) }"
      :to="to"
      >{{ word }}</RouterLink
    >
  </nav>
</template>
