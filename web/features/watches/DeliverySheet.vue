<script setup lang="ts">
/** Where the notices of the desk go: the webhook, and who hears of the signal watches. */
import { noticeSettingsInput, type NoticeSettings } from '@tracheon/core/contract';
import { ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import DraftSheet from '../../shared/DraftSheet.vue';
import { useDraftForm } from '../../shared/useDraftForm.ts';
import DeliveryFields from './DeliveryFields.vue';

const props = defineProps<{ settings: NoticeSettings }>();
const emit = defineEmits<{ closed: []; saved: [] }>();
const session = useSession();
const open = ref(true);
const form = useDraftForm(
  noticeSettingsInput,
  { webhookUrl: '', mailTo: [], webhook: false },
  'notice-settings',
  { version: 1, body: noticeSettingsInput.parse(props.settings) },
);
async function save(): Promise<void> {
  const isSaved = await form.save(async () => {
    await ask('saveNoticeSettings', { body: noticeSettingsInput.parse(form.body) });
  });
  if (!isSaved) return;
  emit('saved');
  close(false);
}
function close(isOpen: boolean): void {
  open.value = isOpen;
  if (!isOpen) emit('closed');
}
</script>
<template>
  <DraftSheet
    :open="open"
    title="Delivery of notices"
    says="Each watch says whether it sends e-mails and calls the webhook. For the signal watches you choose it here."
    :form="form"
    action="Save"
    :read-only="!session.canEdit"
    :save="save"
    @update:open="close"
  >
    <DeliveryFields v-model="form.body" :error="form.error" />
  </DraftSheet>
</template>
