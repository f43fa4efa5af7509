<script setup lang="ts">
import PageHead from '../ui/PageHead.vue';
</script>
<template>
  <PageHead title="Nothing here" says="There is no screen at this address." />
  <RouterLink to="/today">To Today</RouterLink>
</template>
