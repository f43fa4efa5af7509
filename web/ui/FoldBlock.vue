<script setup lang="ts">
/** A block that folds away under its title: settings that most records leave as they are. */
import Accordion from 'primevue/accordion';
import AccordionContent from 'primevue/accordioncontent';
import AccordionHeader from 'primevue/accordionheader';
import AccordionPanel from 'primevue/accordionpanel';
import { ref } from 'vue';

const props = defineProps<{ title: string; open?: boolean }>();
const shown = ref<string | null>(props.open ? 'it' : null);
</script>
<template>
  <Accordion v-model:value="shown" lazy class="fold">
    <AccordionPanel value="it">
      <AccordionHeader>{{ title }}</AccordionHeader>
      <AccordionContent><slot /></AccordionContent>
    </AccordionPanel>
  </Accordion>
</template>
