<script setup lang="ts">
/** A file of conversions that the source fetches itself, at a secret address. */
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import InputText from 'primevue/inputtext';
import { FILE_DAYS, fileFields, type FileField, type SourceInput } from '@tracheon/core/contract';
import { computed, ref, watch } from 'vue';
import { ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import CopyButton from '../../ui/CopyButton.vue';
import PickOne from '../../ui/PickOne.vue';
import RowsField from '../../ui/RowsField.vue';
import { newRow } from '../../shared/newRows.ts';

const body = defineModel<SourceInput>({ required: true });
const props = defineProps<{
  error: (path: string) => string | undefined;
  disabled?: boolean | undefined;
  sourceId?: string | undefined;
}>();
const parts = useParts();
const session = useSession();
const fieldWords: Record<FileField, string> = {
  source_click_id: 'Source click ID',
  conversion_time: 'Conversion time',
  event: 'Event',
  status: 'Status',
  payout: 'Payout to report',
  currency: 'Currency',
  transaction: 'Transaction',
  click_id: 'Our click ID',
  campaign_name: 'Campaign',
};
const url = ref('');
const failure = ref('');
const saved = computed(() => parts.one('source', props.sourceId ?? '')?.body.fileKey ?? '');
const isSaved = computed(() => saved.value !== '' && saved.value === body.value.fileKey);
const randomKey = (): string =>
  [...crypto.getRandomValues(new Uint8Array(24))].map((b) => (b % 36).toString(36)).join('');
const isOn = computed({
  get: () => body.value.fileKey !== '',
  set: (on: boolean) => (body.value.fileKey = on ? saved.value || randomKey() : ''),
});
watch(
  isSaved,
  async (is) => {
    url.value = '';
    if (!is || !session.canEdit) return;
    try {
      url.value = (await ask('conversionFile', { id: props.sourceId! })).url;
      failure.value = '';
    } catch (error) {
      failure.value = (error as Error).message;
    }
  },
  { immediate: true },
);
</script>
<template>
  <label class="row"
    ><Checkbox v-model="isOn" binary :disabled="disabled" /> This source fetches a file of conversions</label
  >
  <template v-if="isOn">
    <p class="quiet small">
      CSV with the conversions of the last {{ FILE_DAYS }} days that you report to this source. It needs the
      source click ID of each visit.
    </p>
    <RowsField
      v-slot="{ row, i }"
      v-model="body.fileColumns"
      add="Add column"
      one="column"
      :make="newRow.fileColumn"
    >
      <div class="column">
        <PickOne
          v-model="row.field"
          :aria-label="`Value of column ${i + 1}`"
          :options="fileFields.map((f) => ({ value: f, label: fieldWords[f] }))"
        />
        <InputText
          v-model="row.name"
          class="mono-input"
          :aria-label="`Name of column ${i + 1}`"
          :invalid="!!error(`fileColumns.${i}.name`)"
        />
      </div>
      <p v-if="error(`fileColumns.${i}.name`)" class="error small">{{ error(`fileColumns.${i}.name`) }}</p>
    </RowsField>
    <p v-if="error('fileColumns')" class="error small">{{ error('fileColumns') }}</p>
    <div class="row">
      <CopyButton
        v-if="url"
        :text="url"
        label="Copy file address"
        hint="Keep it secret: it needs no password."
      />
      <span v-else-if="failure" class="error small" role="alert">{{ failure }}</span>
      <span v-else-if="session.canEdit" class="quiet">Save the source to get the address of the file.</span>
      <Button v-if="isSaved" variant="text" :disabled="disabled" @click="body.fileKey = randomKey()"
        >New address</Button
      >
    </div>
  </template>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.column {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
  width: 100%;
}
</style>
