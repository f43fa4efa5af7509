<script setup lang="ts">
import Button from 'primevue/button';
defineProps<{ next: string | null; failure: string }>();
defineEmits<{ more: [] }>();
</script>
<template>
  <div v-if="next" class="pad row">
    <Button severity="secondary" @click="$emit('more')">Load older</Button>
    <span v-if="failure" class="error" role="alert">{{ failure }}</span>
  </div>
</template>
