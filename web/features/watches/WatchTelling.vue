<script setup lang="ts">
/** How the notices of a watch reach members, besides this screen. */
import ToggleSwitch from 'primevue/toggleswitch';
import type { WatchInput } from '@tracheon/core/contract';
import { computed } from 'vue';
import MembersField from './MembersField.vue';
import { useDelivery } from './useDelivery.ts';

const body = defineModel<WatchInput>({ required: true });
defineProps<{ error: (path: string) => string | undefined }>();
const { settings } = useDelivery();
const hasWebhook = computed(() => (settings.value?.webhookUrl ?? '') !== '');
</script>
<template>
  <MembersField
    v-model="body.mailTo"
    label="Also send an e-mail to"
    hint="One e-mail for each check that found something."
    :error="error('mailTo')"
  />
  <div class="row">
    <ToggleSwitch
      v-model="body.webhook"
      input-id="watch-webhook"
      :disabled="!hasWebhook && !body.webhook"
      aria-describedby="watch-webhook-note"
    />
    <label for="watch-webhook">Also call the webhook</label>
    <small v-if="!hasWebhook" id="watch-webhook-note" class="quiet"
      >Set its URL under <RouterLink to="/watches/delivery">Delivery</RouterLink> first.</small
    >
  </div>
</template>
