<script setup lang="ts">
/** The routing of one campaign, once the records are there. */
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';
import { useParts } from '../../app/parts.ts';
import StateBlock from '../../ui/StateBlock.vue';
import RoutingPage from './routing/RoutingPage.vue';

const route = useRoute();
const parts = useParts();
const round = ref(0);
const part = computed(() => parts.one('campaign', String(route.params.id)));
</script>
<template>
  <RoutingPage v-if="part" :key="`${part.id}.${round}`" :part="part" @again="round += 1" />
  <StateBlock v-else-if="parts.state === 'loading'" class="sheet" state="loading" />
  <StateBlock
    v-else
    class="sheet"
    state="failed"
    :words="parts.failure || 'This campaign does not exist on this desk.'"
    @again="parts.load"
  />
</template>
