<script setup lang="ts">
/** An amount and its currency, side by side under one label. */
import InputText from 'primevue/inputtext';
import AmountInput from './AmountInput.vue';
import FormField from './FormField.vue';

defineProps<{
  label: string;
  hint?: string;
  error?: string | undefined;
  /** Stands in for an empty currency. */
  usual?: string;
}>();
const amount = defineModel<string>('amount', { required: true });
const currency = defineModel<string>('currency', { required: true });
</script>
<template>
  <FormField v-slot="{ id, invalid, described }" :label="label" :hint="hint ?? ''" :error="error">
    <span class="row money">
      <AmountInput :id="id" v-model="amount" :invalid="invalid" :describedby="described" />
      <InputText
        v-model.trim="currency"
        class="currency"
        maxlength="3"
        :placeholder="usual"
        :invalid="invalid"
        aria-label="Currency"
      />
      <slot />
    </span>
  </FormField>
</template>
<style scoped>
.money {
  flex-wrap: nowrap;
}
.money .currency {
  width: 64px;
  flex: none;
}
</style>
