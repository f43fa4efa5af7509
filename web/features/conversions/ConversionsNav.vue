<script setup lang="ts">
/** The lists of this area. */
const places = [
  ['/conversions/all', 'Conversions'],
  ['/conversions/postbacks-in', 'Postbacks in'],
  ['/conversions/needs-repair', 'Needs repair'],
  ['/conversions/postbacks-out', 'Postbacks out'],
  ['/conversions/unknown-keys', 'Unknown keys'],
  ['/conversions/import', 'Import'],
] as const;
</script>
<template>
  <nav class="segments" aria-label="Conversions">
    <RouterLink v-for="[to, word] in places" :key="to" :to="to">{{ word }}</RouterLink>
  </nav>
</template>
