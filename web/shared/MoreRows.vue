<script setup lang="ts">
defineProps<{ next: string | null; failure: string }>();
defineEmits<{ more: [] }>();
</script>
<template>
  <div v-if="next" class="pad row">
    <button type="button" @click="$emit('more')">Older ones</button>
    <span v-if="failure" class="error" role="alert">{{ failure }}</span>
  </div>
</template>
