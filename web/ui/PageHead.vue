<script setup lang="ts">
defineProps<{ title: string; says: string }>();
</script>
<template>
  <header class="head">
    <div>
      <h1>{{ title }}</h1>
      <p class="quiet">{{ says }}</p>
    </div>
    <div class="row"><slot /></div>
  </header>
</template>
<style scoped>
.head {
  display: flex;
  justify-content: space-between;
  align-items: flex-start;
  gap: 12px;
  flex-wrap: wrap;
  margin-bottom: 12px;
}
</style>
