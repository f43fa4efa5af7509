<script setup lang="ts">
import { money } from './format.ts';

defineProps<{ micros: string }>();
</script>
<template>
  <span v-if="micros === '0'">–</span>
  <span v-else class="hold"><span aria-hidden="true">◌ </span>{{ money(micros) }}</span>
</template>
