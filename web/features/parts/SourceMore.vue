<script setup lang="ts">
/** What a source bills, how it wants its lists, and the rest of what is known of it. */
import ZoneField from '../../ui/ZoneField.vue';
import AddressInput from '../../ui/AddressInput.vue';
import PickOne from '../../ui/PickOne.vue';
import InputText from 'primevue/inputtext';
import Textarea from 'primevue/textarea';
import { listSeparators, type SourceInput } from '@tracheon/core/contract';
import AmountInput from '../../ui/AmountInput.vue';
import FormField from '../../ui/FormField.vue';
import LinesField from '../../ui/LinesField.vue';
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
      <PickOne
        :id="id"
        v-model="body.decimalMark"
        :options="[
          { value: '', label: 'as the text makes plain' },
          { value: '.', label: 'point: 1.50' },
          { value: ',', label: 'comma: 1,50' },
        ]"
      />
    </FormField>
    <FormField
      v-slot="{ id, invalid }"
      label="Zone of their days"
      hint="Empty: the desk’s."
      :error="error('zone')"
    >
      <ZoneField :id="id" v-model="body.zone" empty-label="Same as the desk" :invalid="invalid" />
    </FormField>
    <FormField v-slot="{ id }" label="Between two of a block list">
      <PickOne
        :id="id"
        v-model="body.listSeparator"
        :options="[...listSeparators.map((s) => ({ value: s, label: separatorWords[s] }))]"
      />
    </FormField>
    <FormField
      v-slot="{ id, invalid, described }"
      label="Each one written"
      hint="{value} is the site, zone or whatever is blocked."
      :error="error('listFormat')"
    >
      <InputText
        :id="id"
        v-model="body.listFormat"
        class="mono-input"
        :invalid="invalid"
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
    <AddressInput :id="id" v-model="body.docsUrl" :invalid="invalid" />
  </FormField>
  <TagsField v-model="body.tags" :error="error('tags')" />
  <FormField v-slot="{ id }" label="Notes">
    <Textarea :id="id" v-model="body.notes" rows="2" />
  </FormField>
</template>
<style scoped src="./partForm.css"></style>
