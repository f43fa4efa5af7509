<script setup lang="ts">
/** Shown in place of figures while the index is built. */
import ProgressBar from 'primevue/progressbar';
import { computed } from 'vue';
import { count } from '../ui/format.ts';

const props = defineProps<{ building: { visits: number; ofAbout: number } }>();
const share = computed(() => {
  const { visits, ofAbout } = props.building;
  return ofAbout <= 0 ? 0 : Math.min(100, Math.round((visits / ofAbout) * 100));
});
const progress = computed(() => {
  const { visits, ofAbout } = props.building;
  return ofAbout > visits ? `${count(visits)} of about ${count(ofAbout)}` : count(visits);
});
</script>
<template>
  <section class="sheet pad" aria-label="Building the index" role="status">
    <h2>Tracheon is building the index for this report</h2>
    <p>It has read {{ progress }} visits. Visits and conversions are recorded as usual.</p>
    <ProgressBar :value="share" aria-label="Progress of the index" />
  </section>
</template>
