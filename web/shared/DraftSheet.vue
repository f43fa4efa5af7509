<script setup lang="ts">
/** The sheet in which a record is created or edited: its fields, what is wrong with them, both versions, the draft, saving. */
import { Form } from '@primevue/forms';
import FieldGroup from '../ui/FieldGroup.vue';
import SideSheet from '../ui/SideSheet.vue';
import FormFoot from './FormFoot.vue';
import type { DraftForm } from './useDraftForm.ts';

defineProps<{
  title: string;
  says: string;
  form: DraftForm;
  /** Of the button that saves. */
  action: string;
  readOnly?: boolean;
  save: () => Promise<void>;
}>();
const open = defineModel<boolean>('open', { required: true });
</script>
<template>
  <SideSheet v-model:open="open" :title="title" :says="says">
    <slot name="before" />
    <Form class="draft" :resolver="form.resolver" :validate-on-value-update="false" @submit="save">
      <FieldGroup :disabled="readOnly" class="fields"><slot /></FieldGroup>
      <slot name="after" />
      <FormFoot v-if="!readOnly" :form="form" :label="action" />
    </Form>
  </SideSheet>
</template>
<style scoped>
.draft {
  display: grid;
  gap: 10px;
}
.fields {
  border: 0;
  padding: 0;
  margin: 0;
  display: grid;
  gap: 8px;
  min-width: 0;
}
</style>
