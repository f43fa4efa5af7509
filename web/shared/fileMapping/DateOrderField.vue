<script setup lang="ts">
/** In which order the dates of a file have their parts. */
import type { DateOrder } from '@tracheon/core/time';
import FormField from '../../ui/FormField.vue';
import PickOne from '../../ui/PickOne.vue';

const order = defineModel<DateOrder>({ required: true });
</script>
<template>
  <FormField v-slot="{ id }" label="Dates">
    <PickOne
      :id="id"
      v-model="order"
      :options="[
        { value: 'ymd', label: '2026-11-24' },
        { value: 'dmy', label: '24.11.2026 or 24/11/2026' },
        { value: 'mdy', label: '11/24/2026' },
      ]"
    />
  </FormField>
</template>
