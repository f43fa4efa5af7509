<script setup lang="ts">
/** The mark: an ID that goes out and comes back. */
defineProps<{ size: number }>();
</script>
<template>
  <svg
    viewBox="0 0 32 32"
    :width="size"
    :height="size"
    fill="none"
    stroke="currentColor"
    stroke-width="3"
    stroke-linecap="round"
    stroke-linejoin="round"
    aria-hidden="true"
  >
    <path d="M5 12h15a5 5 0 0 1 0 10h-8" />
    <path d="m10 7-5 5 5 5" />
    <circle cx="25.5" cy="8" r="1" fill="currentColor" />
  </svg>
</template>
