<script setup lang="ts">
import StateBlock from '../ui/StateBlock.vue';
</script>
<template>
  <StateBlock class="sheet" state="empty" title="No such page" words="There is nothing at this address.">
    <RouterLink to="/offers">To your offers</RouterLink>
  </StateBlock>
</template>
