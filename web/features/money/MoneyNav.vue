<script setup lang="ts">
/** The places of this area. */
const places = [
  ['/money', 'Statements'],
  ['/money/decisions', 'Approval and delay'],
] as const;
</script>
<template>
  <nav class="segments" aria-label="Money">
    <RouterLink v-for="[to, word] in places" :key="to" :to="to">{{ word }}</RouterLink>
  </nav>
</template>
