<script setup lang="ts">
/** Fields that belong together and can be switched off together. */
import { provideFieldsDisabled } from './fieldsDisabled.ts';

const props = defineProps<{ disabled?: boolean }>();
provideFieldsDisabled(() => props.disabled);
</script>
<template>
  <fieldset :disabled="disabled"><slot /></fieldset>
</template>
