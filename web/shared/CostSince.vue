<script setup lang="ts">
/** Since when a changed cost counts; asked only while it differs from the saved one. */
import RadioButton from 'primevue/radiobutton';
import type { CampaignInput } from '@tracheon/core/contract';
import { computed, ref, watch } from 'vue';
import DayField from '../ui/DayField.vue';
import FormField from '../ui/FormField.vue';

const props = defineProps<{ body: CampaignInput; saved: CampaignInput; error?: string | undefined }>();
const since = defineModel<string>({ required: true });
const fields = ['costModel', 'costMicros', 'costCurrency', 'costShare', 'costEventTypeId'] as const;
const isChanged = computed(() => fields.some((f) => props.body[f] !== props.saved[f]));
/** What came in a link, or is not known, is not made up afterwards. */
const isAsked = computed(() => isChanged.value && !['none', 'link'].includes(props.body.costModel));
const kindOf = (value: string): 'now' | 'day' | 'start' =>
  value === '' ? 'now' : value === 'start' ? 'start' : 'day';
const kind = ref<'now' | 'day' | 'start'>(isChanged.value ? kindOf(since.value) : 'now');
const day = ref(kindOf(since.value) === 'day' ? since.value : '');
watch(
  [isChanged, isAsked, kind, day],
  () => {
    if (!isChanged.value) since.value = props.saved.costSince;
    else if (!isAsked.value || kind.value === 'now') since.value = '';
    else since.value = kind.value === 'start' ? 'start' : day.value || 'day';
  },
  { immediate: true },
);
</script>
<template>
  <fieldset v-if="isAsked">
    <legend>The new cost counts</legend>
    <label class="row"><RadioButton v-model="kind" value="now" /> from now on</label>
    <label class="row"><RadioButton v-model="kind" value="day" /> from a day</label>
    <FormField
      v-if="kind === 'day'"
      v-slot="{ id, invalid }"
      label="First day"
      :error="error"
      hint="Tracheon changes the cost of visits since then."
    >
      <DayField :id="id" v-model="day" :invalid="invalid" />
    </FormField>
    <label class="row"><RadioButton v-model="kind" value="start" /> from the first visit</label>
  </fieldset>
</template>
<style scoped>
legend {
  font-weight: 600;
  padding: 0 4px;
}
</style>
