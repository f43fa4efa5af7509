<script setup lang="ts">
/** What partners see of an own offer, and which of them may promote it. */
import Textarea from 'primevue/textarea';
import { offerAccess, offerAccesses, type OfferInput } from '@tracheon/core/contract';
import { computed, ref } from 'vue';
import FormField from '../../ui/FormField.vue';
import GuideText from '../../ui/GuideText.vue';
import PickOne from '../../ui/PickOne.vue';
import SegmentChoice from '../../ui/SegmentChoice.vue';
import TextField from '../../ui/TextField.vue';
import AccessList from './AccessList.vue';

const body = defineModel<OfferInput>({ required: true });
const props = defineProps<{ error: (path: string) => string | undefined; offerId?: string | undefined }>();
const accesses = offerAccesses.map((value) => ({ value, label: offerAccess[value].label }));
const isShown = computed(() => body.value.partnerAccess !== 'hidden');
const shows = ref<'write' | 'look'>('write');
const FORMAT = 'Start a line with # for a heading and with - for a list. Write **bold** or _emphasis_.';
</script>
<template>
  <FormField
    v-slot="{ id, described }"
    label="Who can promote it"
    :hint="offerAccess[body.partnerAccess].meaning"
    :error="props.error('partnerAccess')"
  >
    <PickOne :id="id" v-model="body.partnerAccess" :options="accesses" :aria-describedby="described" />
  </FormField>
  <p v-if="isShown && body.partnerPayouts.length === 0" class="error" role="alert">
    Partners see that this offer pays nothing. Set partner payouts.
  </p>
  <template v-if="isShown">
    <TextField
      v-model="body.category"
      label="Category"
      hint="Partners find the offer by it."
      :error="props.error('category')"
    />
    <div class="row spread">
      <span class="quiet">Texts for partners</span>
      <SegmentChoice
        v-model="shows"
        :options="[
          { value: 'write', label: 'Write' },
          { value: 'look', label: 'Preview' },
        ]"
        label="Texts for partners"
      />
    </div>
    <template v-if="shows === 'write'">
      <FormField
        v-slot="{ id, invalid, described }"
        label="Description for partners"
        :hint="FORMAT"
        :error="props.error('description')"
      >
        <Textarea
          :id="id"
          v-model="body.description"
          rows="5"
          :invalid="invalid"
          :aria-describedby="described"
        />
      </FormField>
      <FormField
        v-slot="{ id, invalid, described }"
        label="Terms"
        hint="A partner accepts them before it gets links, and again when you change them. Leave empty for none."
        :error="props.error('partnerTerms')"
      >
        <Textarea
          :id="id"
          v-model="body.partnerTerms"
          rows="4"
          :invalid="invalid"
          :aria-describedby="described"
        />
      </FormField>
    </template>
    <section v-else class="looks" aria-label="Preview for partners">
      <GuideText :text="body.description || 'No description yet.'" />
      <template v-if="body.partnerTerms">
        <h3>Terms</h3>
        <GuideText :text="body.partnerTerms" />
      </template>
    </section>
    <template v-if="offerId">
      <h3>Partners</h3>
      <AccessList :offer-id="offerId" />
    </template>
  </template>
</template>
<style scoped>
.looks {
  border: 1px solid var(--hairline);
  border-radius: 4px;
  padding: 8px 12px;
}
h3 {
  margin: 10px 0 2px;
  font-size: 13px;
}
</style>
