<script setup lang="ts">
/** A line of text with its label, hint and error. `mono`: what is written is an address, a name on the wire, or the like. */
import InputText from 'primevue/inputtext';
import FormField from './FormField.vue';

const text = defineModel<string>({ required: true });
defineProps<{
  label: string;
  hint?: string;
  error?: string | undefined;
  placeholder?: string;
  mono?: boolean;
}>();
</script>
<template>
  <FormField v-slot="{ id, invalid, described }" :label="label" :hint="hint" :error="error">
    <InputText
      :id="id"
      v-model="text"
      :class="{ mono }"
      :invalid="invalid"
      :aria-describedby="described"
      :placeholder="placeholder"
      autocomplete="off"
    />
  </FormField>
</template>
