<script setup lang="ts">
/** A password, hidden until the member asks to see it. */
import Password from 'primevue/password';

defineProps<{
  id?: string;
  invalid?: boolean;
  autocomplete?: string;
  required?: boolean;
  minlength?: number | string;
  ariaDescribedby?: string;
  placeholder?: string;
  /** Where no label of a form stands beside it. */
  label?: string;
}>();
const model = defineModel<string>({ required: true });
</script>
<template>
  <Password
    v-model="model"
    :input-id="id"
    :feedback="false"
    toggle-mask
    fluid
    :invalid="invalid"
    :required="required"
    :placeholder="placeholder"
    :input-props="{
      autocomplete,
      minlength,
      'aria-describedby': ariaDescribedby,
      'aria-label': label,
      // For a strength meter that is not shown here; a plain input may not carry them.
      'aria-expanded': undefined,
      'aria-controls': undefined,
      'aria-haspopup': undefined,
    }"
  />
</template>
