<script setup lang="ts">
/** How a network's links are recognised, and what they take from us besides the click ID. */
import InputText from 'primevue/inputtext';
import PickOne from '../../ui/PickOne.vue';
import NumberField from '../../ui/NumberField.vue';
import Checkbox from 'primevue/checkbox';
import type { NetworkInput } from '@tracheon/core/contract';
import FormField from '../../ui/FormField.vue';
import LinesField from '../../ui/LinesField.vue';
import { newRow } from '../../shared/newRows.ts';
import RowsField from '../../ui/RowsField.vue';
import { useDeskTokens } from '../../shared/urlField/deskTokens.ts';

const body = defineModel<NetworkInput>({ required: true });
const props = defineProps<{ error: (path: string) => string | undefined }>();
const tokens = useDeskTokens('visit');
const proofHints: Record<NetworkInput['callerProof'], string> = {
  none: 'Whoever has the postback URL can send postbacks.',
  secret:
    'The postback URL gets longer: hand it over again. Postbacks without the secret are held for review.',
  signature: 'For networks that can sign. The postback URL section shows the secret and how to sign.',
};
/** The first message of any line of a list. */
const firstOf = (list: string, n: number): string | undefined =>
  props.error(list) ?? Array.from({ length: n }, (_, i) => props.error(`${list}.${i}`)).find(Boolean);
</script>
<template>
  <RowsField
    v-slot="{ row, i }"
    v-model="body.subParameters"
    title="More sub-ID parameters"
    hint="Added to every offer link that doesn’t set them. Enter a length to shorten longer values."
    add="Add sub-ID parameter"
    one="sub-ID parameter"
    :make="newRow.subParameter"
  >
    <div class="line">
      <InputText
        v-model="row.parameter"
        class="mono-input"
        placeholder="source"
        :aria-label="`Sub-ID parameter ${i + 1}`"
        :invalid="!!error(`subParameters.${i}.parameter`)"
      />
      <PickOne
        v-model="row.token"
        class="mono-input"
        :aria-label="`Token for sub-ID parameter ${i + 1}`"
        :options="[
          { value: '', label: 'set in each link' },
          ...tokens.map((t) => ({ value: t.text.slice(1, -1), label: t.text })),
        ]"
      />
      <label class="row small"
        >max. length
        <NumberField
          v-model="row.limit"
          min="0"
          class="few"
          :aria-label="`Maximum length of sub-ID parameter ${i + 1}`"
      /></label>
      <label class="row small"><Checkbox v-model="row.demanded" binary /> required</label>
      <p v-if="error(`subParameters.${i}.parameter`)" class="error small">
        {{ error(`subParameters.${i}.parameter`) }}
      </p>
    </div>
  </RowsField>
  <div class="halves">
    <LinesField
      v-model="body.hosts"
      label="Link hosts"
      hint="Tracheon recognises pasted links by these hosts. One per line."
      mono
      :error="firstOf('hosts', body.hosts.length)"
    />
    <LinesField
      v-model="body.allowedAddresses"
      label="Allowed postback addresses"
      hint="Leave empty to accept any address. Postbacks from other addresses are held for review."
      mono
      :error="firstOf('allowedAddresses', body.allowedAddresses.length)"
    />
    <label v-if="body.allowedAddresses.length > 0 || body.callerProof !== 'none'" class="row small"
      ><Checkbox v-model="body.acceptsPixels" binary /> Also accept pixels from visitors’ browsers, which come
      from any address and carry no proof</label
    >
    <FormField
      v-slot="{ id }"
      label="Postbacks must carry"
      :hint="proofHints[body.callerProof]"
      :error="error('callerProof')"
    >
      <PickOne
        :id="id"
        v-model="body.callerProof"
        :options="[
          { value: 'none', label: 'only the key' },
          { value: 'secret', label: 'a secret in the postback URL' },
          { value: 'signature', label: 'a signature with each postback' },
        ]"
      />
    </FormField>
    <FormField
      v-slot="{ id }"
      label="Click ID length limit"
      hint="0 = no limit. Ours has 26 characters."
      :error="error('clickIdLimit')"
    >
      <NumberField :id="id" v-model="body.clickIdLimit" min="0" class="few" />
    </FormField>
  </div>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.line {
  display: grid;
  grid-template-columns: 1fr 1.3fr auto auto;
  gap: 6px;
  align-items: center;
  width: 100%;
}
.line > p {
  grid-column: 1 / -1;
  margin: 0;
}
.few {
  width: 62px;
}
</style>
