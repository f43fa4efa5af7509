<script setup lang="ts">
/** The places of this area. */
const places = [
  ['/try/link-reader', 'Link reader'],
  ['/try/link-builder', 'Link builder'],
] as const;
</script>
<template>
  <nav class="segments" aria-label="Try out">
    <RouterLink v-for="[to, word] in places" :key="to" :to="to">{{ word }}</RouterLink>
  </nav>
</template>
