<script setup lang="ts">
/** Currency and days of a feed: in which zone a day lies, and when its report is final. */
import InputText from 'primevue/inputtext';
import type { FeedInput } from '@tracheon/core/contract';
import FoldBlock from '../../ui/FoldBlock.vue';
import FormField from '../../ui/FormField.vue';
import NumberField from '../../ui/NumberField.vue';
import PickOne from '../../ui/PickOne.vue';
import TextField from '../../ui/TextField.vue';
import ZoneField from '../../ui/ZoneField.vue';

const body = defineModel<FeedInput>({ required: true });
defineProps<{ error: (path: string) => string | undefined }>();
</script>
<template>
  <div class="two">
    <FormField
      v-slot="{ id, invalid }"
      label="Currency"
      :hint="body.gives === 'cost' ? 'The one that the source bills in.' : ''"
      :error="error('currency')"
    >
      <InputText :id="id" v-model.trim="body.currency" maxlength="3" :invalid="invalid" autocomplete="off" />
    </FormField>
    <FormField v-slot="{ id, invalid }" label="Time zone of its days" :error="error('zone')">
      <ZoneField :id="id" v-model="body.zone" empty-label="UTC" :invalid="invalid" />
    </FormField>
  </div>
  <div class="two">
    <FormField v-slot="{ id }" label="When a day is final">
      <PickOne
        :id="id"
        v-model="body.finals"
        :options="[
          { value: 'age', label: 'some days later' },
          { value: 'field', label: 'when a field says so' },
          { value: 'never', label: 'never' },
        ]"
      />
    </FormField>
    <FormField
      v-if="body.finals === 'age'"
      v-slot="{ id, invalid }"
      label="Days after the day ended"
      :error="error('finalAfterDays')"
    >
      <NumberField :id="id" v-model="body.finalAfterDays" min="0" max="60" :invalid="invalid" />
    </FormField>
    <template v-if="body.finals === 'field'">
      <TextField
        v-model.trim="body.finalAt"
        label="Field with the state"
        :error="error('finalAt')"
        mono
        placeholder="status"
      />
      <TextField
        v-model.trim="body.finalWord"
        label="Value when final"
        :error="error('finalWord')"
        placeholder="final"
      />
    </template>
    <FormField v-if="body.gives === 'revenue'" v-slot="{ id }" label="Revenue of an estimate">
      <PickOne
        :id="id"
        v-model="body.estimates"
        :options="[
          { value: 'pending', label: 'on hold until it is final' },
          { value: 'approved', label: 'earned at once' },
        ]"
      />
    </FormField>
  </div>
  <FoldBlock title="Totals and decimals">
    <div class="two">
      <TextField
        v-model.trim="body.countAt"
        label="Field with the number of rows (optional)"
        hint="A final counts only when all rows came."
        mono
      />
      <TextField
        v-model.trim="body.sumAt"
        label="Field with the sum (optional)"
        hint="A final counts only when the sum agrees."
        mono
      />
      <TextField
        v-model.trim="body.currencyAt"
        label="Field with the currency of a row (optional)"
        hint="A run fails when a row is in another currency."
        mono
      />
      <FormField v-slot="{ id }" label="Decimal mark">
        <PickOne
          :id="id"
          v-model="body.decimalMark"
          :options="[
            { value: '.', label: 'point: 1.50' },
            { value: ',', label: 'comma: 1,50' },
            { value: '', label: 'either, where it is clear' },
          ]"
        />
      </FormField>
      <FormField
        v-if="body.paging === 'page'"
        v-slot="{ id, invalid }"
        label="Number of the first page"
        :error="error('firstPage')"
      >
        <NumberField :id="id" v-model="body.firstPage" min="0" max="1" :invalid="invalid" />
      </FormField>
    </div>
  </FoldBlock>
</template>
<style scoped>
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(240px, 100%), 1fr));
  gap: 2px 14px;
  align-items: start;
}
</style>
