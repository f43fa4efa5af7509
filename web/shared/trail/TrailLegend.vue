<script setup lang="ts">
import ChipText from './ChipText.vue';
</script>
<template>
  <span class="legend" aria-label="What the shapes mean"
    ><ChipText text="{our_token}" expander="we" /> <ChipText text="[their_macro]" expander="they" />
    <span class="quiet">fixed text</span></span
  >
</template>
<style scoped>
.legend {
  display: inline-flex;
  gap: 8px;
  align-items: center;
  font-size: 12px;
}
</style>
