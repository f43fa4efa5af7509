<script setup lang="ts">
/** How the request to the source is made: GET, a form or JSON, with headers of its own; and what exactly would be sent. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Textarea from 'primevue/textarea';
import type { PostbackMethod, PostbackPreview, SourceInput } from '@tracheon/core/contract';
import { ref, watch } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { newRow } from '../../shared/newRows.ts';
import { moment } from '../../ui/format.ts';
import FormField from '../../ui/FormField.vue';
import PickOne from '../../ui/PickOne.vue';
import RowsField from '../../ui/RowsField.vue';
import SecretField from '../../ui/SecretField.vue';

const body = defineModel<SourceInput>({ required: true });
const props = defineProps<{
  error: (path: string) => string | undefined;
  disabled?: boolean | undefined;
  sourceId?: string | undefined;
}>();
const session = useSession();
const methods: { value: PostbackMethod; label: string }[] = [
  { value: 'get', label: 'GET: everything is in the URL' },
  { value: 'form', label: 'POST with form fields' },
  { value: 'json', label: 'POST with JSON' },
  { value: 'pixel', label: 'Image pixel in the visitor’s browser' },
];
const PIXEL_HINT =
  'The iframe pixel that you hand to the network loads the URL above on the thank-you page. Conversions that come in another way have no page, so the source does not get them.';
const bodyHints: Record<PostbackMethod, string> = {
  get: '',
  pixel: '',
  form: 'Example: uid={source_click_id}&sum={payout}',
  json: 'Example: {"uid": "{source_click_id}", "sum": {payout}}. A token in quotation marks is text, without them a number.',
};

/** Typed values that are not kept yet, by the row that they belong to; never part of the draft. */
const typed = ref<Record<number, string>>({});
// A row that is taken out moves those below it: what was typed must not become another header's value.
watch(
  () => body.value.postbackHeaders.length,
  () => (typed.value = {}),
);
const failure = ref('');
async function keep(row: SourceInput['postbackHeaders'][number], i: number): Promise<void> {
  failure.value = '';
  try {
    const { id } = await ask('keepSecret', { body: { value: typed.value[i] ?? '' } });
    row.secretId = id;
    row.value = '';
    delete typed.value[i];
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
function enterAgain(row: SourceInput['postbackHeaders'][number]): void {
  row.secretId = '';
}

const preview = ref<PostbackPreview | null>(null);
const isAsking = ref(false);
async function show(): Promise<void> {
  failure.value = '';
  isAsking.value = true;
  try {
    preview.value = await ask('previewPostback', { id: props.sourceId!, body: { body: body.value } });
  } catch (error) {
    preview.value = null;
    failure.value = (error as Error).message;
  } finally {
    isAsking.value = false;
  }
}
</script>
<template>
  <FormField v-slot="{ id }" label="Request" :hint="body.postbackMethod === 'pixel' ? PIXEL_HINT : ''">
    <PickOne :id="id" v-model="body.postbackMethod" :options="methods" />
  </FormField>
  <FormField
    v-if="body.postbackMethod === 'form' || body.postbackMethod === 'json'"
    v-slot="{ id, invalid, described }"
    :label="body.postbackMethod === 'json' ? 'JSON to send' : 'Form fields to send'"
    :hint="bodyHints[body.postbackMethod]"
    :error="error('postbackBody')"
  >
    <Textarea
      :id="id"
      v-model="body.postbackBody"
      class="mono-input"
      rows="4"
      spellcheck="false"
      :invalid="invalid"
      :aria-describedby="described"
    />
  </FormField>
  <RowsField
    v-slot="{ row, i }"
    v-model="body.postbackHeaders"
    add="Add header"
    one="header"
    :make="newRow.header"
  >
    <div class="header">
      <InputText
        v-model="row.name"
        class="mono-input"
        :aria-label="`Name of header ${i + 1}`"
        placeholder="Authorization"
        :invalid="!!error(`postbackHeaders.${i}.name`)"
      />
      <template v-if="row.secretId === ''">
        <SecretField
          :model-value="typed[i] ?? ''"
          :label="`Value of header ${i + 1}`"
          :placeholder="row.value === '' ? 'value' : row.value"
          @update:model-value="typed[i] = $event"
        />
        <Button variant="outlined" :disabled="disabled || !typed[i]" @click="keep(row, i)"
          >Keep secret</Button
        >
        <Button
          variant="text"
          :disabled="disabled || !typed[i]"
          title="Everybody on this desk can read it."
          @click="row.value = typed[i] ?? ''"
          >Use as plain text</Button
        >
      </template>
      <template v-else>
        <span class="quiet">A secret is stored.</span>
        <Button variant="text" :disabled="disabled" @click="enterAgain(row)">Enter another value</Button>
      </template>
    </div>
    <template v-for="field in ['name', 'value']" :key="field">
      <p v-if="error(`postbackHeaders.${i}.${field}`)" class="error small">
        {{ error(`postbackHeaders.${i}.${field}`) }}
      </p>
    </template>
  </RowsField>
  <div v-if="sourceId && session.canEdit">
    <Button variant="outlined" :loading="isAsking" @click="show">Show the exact request</Button>
    <p v-if="failure" class="error small" role="alert">{{ failure }}</p>
    <div v-if="preview" class="preview" role="region" aria-label="The exact request">
      <p class="quiet small">
        <template v-if="preview.conversion">
          With the {{ preview.conversion.status }} conversion of
          {{ moment(preview.conversion.at, session.desk.zone) }} in {{ preview.conversion.campaignName }}.
        </template>
        <template v-else
          >This source has no conversions yet. Each value shows the name of its token.</template
        >
        <template v-if="preview.whyNot"> {{ preview.whyNot }}</template>
      </p>
      <code class="raw">{{ preview.method }} {{ preview.url }}</code>
      <code v-for="h in preview.headers" :key="h.name" class="raw">{{ h.name }}: {{ h.value }}</code>
      <code v-if="preview.body" class="raw">{{ preview.body }}</code>
    </div>
  </div>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.header {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.raw {
  display: block;
  overflow-wrap: anywhere;
}
</style>
