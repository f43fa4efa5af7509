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
  newline: 'new line',
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
      hint="1.05 means it bills 105 clicks for every 100 that arrive."
      :error="error('billedPerArrived')"
    >
      <AmountInput :id="id" v-model="body.billedPerArrived" :invalid="invalid" :describedby="described" />
    </FormField>
    <FormField
      v-slot="{ id, invalid, described }"
      label="Fee (% of cost)"
      hint="A payment or platform fee on top of the cost."
      :error="error('feePercent')"
    >
      <AmountInput :id="id" v-model="body.feePercent" :invalid="invalid" :describedby="described" />
    </FormField>
    <FormField v-slot="{ id }" label="Decimal mark of costs">
      <PickOne
        :id="id"
        v-model="body.decimalMark"
        :options="[
          { value: '', label: 'detect automatically' },
          { value: '.', label: 'point: 1.50' },
          { value: ',', label: 'comma: 1,50' },
        ]"
      />
    </FormField>
    <FormField v-slot="{ id, invalid }" label="Time zone" :error="error('zone')">
      <ZoneField :id="id" v-model="body.zone" empty-label="Same as the desk" :invalid="invalid" />
    </FormField>
    <FormField v-slot="{ id }" label="Block list separator">
      <PickOne
        :id="id"
        v-model="body.listSeparator"
        :options="[...listSeparators.map((s) => ({ value: s, label: separatorWords[s] }))]"
      />
    </FormField>
    <FormField
      v-slot="{ id, invalid, described }"
      label="Block list entry format"
      hint="{value} stands for the blocked site or zone."
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
    hint="One per line. Each campaign can choose one."
    :error="error('adFormats')"
  />
  <FormField v-slot="{ id, invalid }" label="Documentation URL" :error="error('docsUrl')">
    <AddressInput :id="id" v-model="body.docsUrl" :invalid="invalid" />
  </FormField>
  <TagsField v-model="body.tags" :error="error('tags')" />
  <FormField v-slot="{ id }" label="Notes">
    <Textarea :id="id" v-model="body.notes" rows="2" />
  </FormField>
</template>
<style scoped src="./partForm.css"></style>
