<script setup lang="ts">
import PageHead from '../ui/PageHead.vue';
</script>
<template>
  <PageHead title="Page not found" says="This page does not exist." />
  <RouterLink to="/today">Go to Today</RouterLink>
</template>
