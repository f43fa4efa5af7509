<script setup lang="ts">
/** What the rows of a feed of costs mean: which field is the amount, which the campaign, and which are sub-IDs. */
import type { FeedInput } from '@tracheon/core/contract';
import FormField from '../../ui/FormField.vue';
import PickOne from '../../ui/PickOne.vue';
import RowsField from '../../ui/RowsField.vue';
import TextField from '../../ui/TextField.vue';

const body = defineModel<FeedInput>({ required: true });
defineProps<{
  /** Sub-IDs of the source. */
  subs: { value: string; label: string }[];
  error: (path: string) => string | undefined;
}>();
</script>
<template>
  <div class="two">
    <TextField
      v-model.trim="body.amountAt"
      label="Field with the amount"
      :error="error('amountAt')"
      mono
      placeholder="spend"
    />
    <TextField
      v-model.trim="body.campaignAt"
      label="Field with the campaign (optional)"
      hint="Its values are names, keys or IDs of your campaigns here. Leave it empty when the source has other names for them."
      :error="error('campaignAt')"
      mono
      placeholder="campaign"
    />
  </div>
  <RowsField
    v-slot="{ row, i }"
    v-model="body.subs"
    title="Sub-IDs"
    add="Add sub-ID"
    one="sub-ID"
    :make="() => ({ name: '', at: '' })"
  >
    <FormField v-slot="{ id, invalid }" label="Sub-ID of the source" :error="error(`subs.${i}.name`)">
      <PickOne
        :id="id"
        v-model="row.name"
        :options="subs"
        placeholder="Choose the sub-ID"
        :invalid="invalid"
      />
    </FormField>
    <TextField v-model.trim="row.at" label="Field with its values" :error="error(`subs.${i}.at`)" mono />
  </RowsField>
</template>
<style scoped>
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(240px, 100%), 1fr));
  gap: 2px 14px;
  align-items: start;
}
</style>
