<script setup lang="ts">
/** What a source bills, how it wants its lists, and the rest of what is known of it. */
import { listSeparators, type SourceInput } from '@tracheon/core/contract';
import AmountInput from '../../shared/AmountInput.vue';
import FormField from '../../shared/FormField.vue';
import LinesField from '../../shared/LinesField.vue';
import TagsField from '../../shared/TagsField.vue';

const body = defineModel<SourceInput>({ required: true });
defineProps<{ error: (path: string) => string | undefined }>();
const separatorWords: Record<(typeof listSeparators)[number], string> = {
  newline: 'a new line',
  comma: 'a comma',
  semicolon: 'a semicolon',
  space: 'a space',
  pipe: 'a bar |',
};
</script>
<template>
  <div class="halves">
    <FormField
      v-slot="{ id, invalid, described }"
      label="Billed ÷ arrived"
      hint="1.05: it bills 105 clicks for 100 that arrive."
      :error="error('billedPerArrived')"
    >
      <AmountInput :id="id" v-model="body.billedPerArrived" :invalid="invalid" :describedby="described" />
    </FormField>
    <FormField
      v-slot="{ id, invalid, described }"
      label="Fee on the cost, %"
      hint="Of the payment, or for its tools."
      :error="error('feePercent')"
    >
      <AmountInput :id="id" v-model="body.feePercent" :invalid="invalid" :describedby="described" />
    </FormField>
    <FormField v-slot="{ id }" label="Decimal mark of the cost">
      <select :id="id" v-model="body.decimalMark">
        <option value="">as the text makes plain</option>
        <option value=".">point: 1.50</option>
        <option value=",">comma: 1,50</option>
      </select>
    </FormField>
    <FormField
      v-slot="{ id, invalid }"
      label="Zone of their days"
      hint="Empty: the desk’s."
      :error="error('zone')"
    >
      <input :id="id" v-model.trim="body.zone" placeholder="Europe/Brussels" :aria-invalid="invalid" />
    </FormField>
    <FormField v-slot="{ id }" label="Between two of a block list">
      <select :id="id" v-model="body.listSeparator">
        <option v-for="s in listSeparators" :key="s" :value="s">{{ separatorWords[s] }}</option>
      </select>
    </FormField>
    <FormField
      v-slot="{ id, invalid, described }"
      label="Each one written"
      hint="{value} is the site, zone or whatever is blocked."
      :error="error('listFormat')"
    >
      <input
        :id="id"
        v-model="body.listFormat"
        class="mono-input"
        :aria-invalid="invalid"
        :aria-describedby="described"
      />
    </FormField>
  </div>
  <LinesField
    v-model="body.adFormats"
    label="Ad formats"
    hint="A line each; a campaign names the one it uses."
    :error="error('adFormats')"
  />
  <FormField v-slot="{ id, invalid }" label="Their documentation" :error="error('docsUrl')">
    <input
      :id="id"
      v-model.trim="body.docsUrl"
      class="mono-input"
      placeholder="https://"
      :aria-invalid="invalid"
    />
  </FormField>
  <TagsField v-model="body.tags" :error="error('tags')" />
  <FormField v-slot="{ id }" label="Notes">
    <textarea :id="id" v-model="body.notes" rows="2" />
  </FormField>
</template>
<style scoped src="./partForm.css"></style>
