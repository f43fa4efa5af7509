<script setup lang="ts">
/** A web address without tokens. */
import InputText from 'primevue/inputtext';

defineProps<{ id?: string; invalid?: boolean; ariaDescribedby?: string; ariaLabel?: string }>();
const model = defineModel<string>({ required: true });
const beginning = 'https://';
</script>
<template>
  <InputText
    :id="id"
    v-model.trim="model"
    class="mono-input"
    :placeholder="beginning"
    autocomplete="off"
    :invalid="invalid"
    :aria-label="ariaLabel"
    :aria-describedby="ariaDescribedby"
  />
</template>
