<script setup lang="ts">
/** Members who get an e-mail. */
import MultiSelect from 'primevue/multiselect';
import { computed } from 'vue';
import FormField from '../../ui/FormField.vue';
import { useDelivery } from './useDelivery.ts';

defineProps<{ label: string; hint?: string; error?: string | undefined }>();
const model = defineModel<string[]>({ required: true });
const { members, settings } = useDelivery();
const canMail = computed(() => settings.value?.canMail !== false);
const options = computed(() => members.value.map((m) => ({ value: m.id, label: `${m.name} (${m.email})` })));
</script>
<template>
  <FormField
    v-slot="{ id, described }"
    :label="label"
    :hint="canMail ? hint : 'This server has no mail server. Its operator sets TRACHEON_SMTP_URL.'"
    :error="error"
  >
    <MultiSelect
      v-model="model"
      :options="options"
      option-label="label"
      option-value="value"
      :input-id="id"
      :aria-labelledby="`${id}-label`"
      :aria-describedby="described"
      :disabled="!canMail && model.length === 0"
      placeholder="Nobody"
    />
  </FormField>
</template>
