<script setup lang="ts">
defineProps<{ next: string | null }>();
defineEmits<{ more: [] }>();
</script>
<template>
  <div v-if="next" class="pad"><button type="button" @click="$emit('more')">Older ones</button></div>
</template>
