<script setup lang="ts" generic="V extends string | number">
/** One of a few choices, all of them in sight. */
import SelectButton from 'primevue/selectbutton';

defineProps<{ options: { value: V; label: string }[]; label: string; disabled?: boolean }>();
const model = defineModel<V>({ required: true });
</script>
<template>
  <SelectButton
    v-model="model"
    :options="options"
    option-label="label"
    option-value="value"
    :allow-empty="false"
    :aria-label="label"
    :disabled="disabled"
    size="small"
  />
</template>
