<script setup lang="ts">
/** The request that a watch sends to its source about each finding. */
import Textarea from 'primevue/textarea';
import ToggleSwitch from 'primevue/toggleswitch';
import type { WatchRequest } from '@tracheon/core/contract';
import { requestTokens } from '@tracheon/core/watches';
import FormField from '../../ui/FormField.vue';
import PickOne from '../../ui/PickOne.vue';
import TextField from '../../ui/TextField.vue';

const request = defineModel<WatchRequest>({ required: true });
defineProps<{ error: (path: string) => string | undefined }>();
const inBraces = (token: string): string => `{${token}}`;
const methods = [
  { value: 'get' as const, label: 'GET' },
  { value: 'form' as const, label: 'POST, form fields' },
  { value: 'json' as const, label: 'POST, JSON' },
];
const EXAMPLE = 'https://ads.example/api/block?site={value}';
</script>
<template>
  <FormField v-slot="{ id }" label="Request to the source" hint="With the headers of the source’s postbacks.">
    <PickOne :id="id" v-model="request.method" :options="methods" />
  </FormField>
  <TextField
    v-model="request.url"
    label="URL"
    mono
    :placeholder="EXAMPLE"
    :error="error('request.url') ?? error('request')"
  />
  <FormField
    v-if="request.method !== 'get'"
    v-slot="{ id, invalid, described }"
    label="Body"
    :error="error('request.body')"
  >
    <Textarea
      :id="id"
      v-model="request.body"
      class="mono"
      rows="3"
      :invalid="invalid"
      :aria-describedby="described"
    />
  </FormField>
  <ul class="quiet tokens" aria-label="Tokens">
    <li v-for="(says, token) in requestTokens" :key="token"><code>{{ inBraces(token) }}</code> {{ says }}</li>
  </ul>
  <div class="row">
    <ToggleSwitch v-model="request.repeats" input-id="watch-request-repeats" />
    <label for="watch-request-repeats"
      >Send it again when Tracheon does not know whether the source carried it out</label
    >
  </div>
</template>
<style scoped>
.tokens {
  margin: 0;
  padding-left: 18px;
  font-size: 12px;
}
</style>
