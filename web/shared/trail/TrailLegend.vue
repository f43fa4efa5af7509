<script setup lang="ts">
import LinkText from '../../ui/LinkText.vue';
</script>
<template>
  <span class="legend" aria-label="Legend"
    ><LinkText tight link="{our_token}" expander="we" />
    <LinkText tight link="[their_macro]" expander="they" /> <span class="quiet">fixed text</span></span
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
