<script setup lang="ts">
/** The fields of DeliverySheet. */
import ToggleSwitch from 'primevue/toggleswitch';
import type { NoticeSettingsInput } from '@tracheon/core/contract';
import TextField from '../../ui/TextField.vue';
import MembersField from './MembersField.vue';

const body = defineModel<NoticeSettingsInput>({ required: true });
defineProps<{ error: (path: string) => string | undefined }>();

const EXAMPLE = 'https://chat.example/hooks/desk';
</script>
<template>
  <TextField
    v-model="body.webhookUrl"
    label="Webhook URL"
    mono
    hint="Tracheon sends each notice there by POST, as signed JSON."
    :placeholder="EXAMPLE"
    :error="error('webhookUrl')"
  />
  <MembersField
    v-model="body.mailTo"
    label="Signal watches: send an e-mail to"
    hint="One e-mail for each trouble that begins."
    :error="error('mailTo')"
  />
  <div class="row">
    <ToggleSwitch v-model="body.webhook" input-id="signals-webhook" />
    <label for="signals-webhook">Signal watches: call the webhook</label>
  </div>
</template>
