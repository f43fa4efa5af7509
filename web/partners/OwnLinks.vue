<script setup lang="ts">
/** The partner's links of an offer, with values of its own put in. */
import InputText from 'primevue/inputtext';
import { computed, reactive } from 'vue';
import type { PromotedOffer } from '@tracheon/core/contract/partnerPage';
import { checkLink, type Finding } from '@tracheon/core/links';
import { useAnswer } from '../base/useAnswer.ts';
import CopyButton from '../ui/CopyButton.vue';
import FindingsList from '../ui/FindingsList.vue';
import FormField from '../ui/FormField.vue';
import StateBlock from '../ui/StateBlock.vue';
import { ask } from './ask.ts';
import { withValues } from './offerWords.ts';

const props = defineProps<{ offer: PromotedOffer }>();
const {
  answer: links,
  failure,
  load,
} = useAnswer(
  () => props.offer.id,
  (id) => ask('links', { id }),
);
const values = reactive<Record<string, string>>({});
/** As every link is checked; the partner mends a value by hand. */
const findingsOf = (text: string): Finding[] =>
  checkLink(text, { expander: 'they', place: 'visit' }).map(({ fix: _fix, ...finding }) => finding);
const whole = computed(() =>
  (links.value ?? []).map((l) => ({
    ...l,
    whole: withValues(
      l.link,
      l.parameters.map(({ parameter }) => ({
        parameter,
        value: values[`${l.campaignId} ${parameter}`] ?? '',
      })),
    ),
  })),
);
</script>
<template>
  <section class="sheet pad" aria-label="Your links">
    <h2>{{ whole.length > 1 ? 'Your links' : 'Your link' }}</h2>
    <StateBlock v-if="failure && !links" state="failed" :words="failure" @again="load" />
    <StateBlock v-else-if="!links" state="loading" />
    <p v-else-if="links.length === 0" class="quiet">
      There is no link for this offer yet. It appears here when the offer has a campaign for partners.
    </p>
    <div v-for="(l, n) in whole" :key="l.campaignId" class="link">
      <p v-if="whole.length > 1" class="quiet">Link {{ n + 1 }}</p>
      <div class="fields">
        <FormField v-for="p in l.parameters" :key="p.parameter" v-slot="{ id }" :label="p.name">
          <InputText
            :id="id"
            v-model="values[`${l.campaignId} ${p.parameter}`]"
            maxlength="200"
            autocomplete="off"
          />
        </FormField>
      </div>
      <p v-if="n === 0 && l.parameters.length > 0" class="quiet">
        Fill in what you want to see in your numbers, or a placeholder of your traffic source, such as
        <code>[site]</code>. Empty fields are left out.
      </p>
      <p class="mono whole">{{ l.whole }}</p>
      <FindingsList :findings="findingsOf(l.whole)" />
      <CopyButton :text="l.whole" label="Copy link" main />
    </div>
  </section>
</template>
<style scoped>
.link {
  display: grid;
  gap: 6px;
  justify-items: start;
  padding-top: 6px;
}
.link + .link {
  border-top: 1px solid var(--hairline);
  margin-top: 10px;
}
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(220px, 100%), 1fr));
  gap: 4px 12px;
  width: 100%;
}
.whole {
  overflow-wrap: anywhere;
  border: 1px solid var(--hairline);
  border-radius: 4px;
  padding: 8px 10px;
  width: 100%;
}
</style>
