<script setup lang="ts">
/** One offer: what it is, what it pays, its terms, and the partner's links. */
import Button from 'primevue/button';
import Textarea from 'primevue/textarea';
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';
import { useAnswer } from '../base/useAnswer.ts';
import FormField from '../ui/FormField.vue';
import { moment } from '../ui/format.ts';
import GuideText from '../ui/GuideText.vue';
import PageHead from '../ui/PageHead.vue';
import StateBlock from '../ui/StateBlock.vue';
import { ask } from './ask.ts';
import { zone } from './me.ts';
import OwnLinks from './OwnLinks.vue';
import { accessWords, mayPromote, mustAccept, placeWords, stateWords } from './offerWords.ts';

const route = useRoute();
const id = computed(() => String(route.params.id));
const {
  answer: offers,
  failure,
  load,
} = useAnswer(
  () => id.value,
  () => ask('offers'),
);
const offer = computed(() => offers.value?.find((o) => o.id === id.value));
const note = ref('');
const wrong = ref('');
const busy = ref(false);
async function does(act: () => Promise<unknown>): Promise<void> {
  if (busy.value) return;
  [busy.value, wrong.value] = [true, ''];
  try {
    await act();
  } catch (error) {
    wrong.value = (error as Error).message;
  } finally {
    busy.value = false;
    await load();
  }
}
const askFor = (): Promise<void> =>
  does(() => ask('askForOffer', { id: id.value, body: { note: note.value } }));
const accept = (): Promise<void> =>
  does(() => ask('acceptTerms', { id: id.value, body: { terms: offer.value?.terms ?? '' } }));
</script>
<template>
  <StateBlock v-if="failure && !offers" class="sheet" state="failed" :words="failure" @again="load" />
  <StateBlock v-else-if="!offers" class="sheet" state="loading" />
  <StateBlock
    v-else-if="!offer"
    class="sheet"
    state="empty"
    title="This offer is not open to you"
    words="It was closed, or it never was open to you."
  >
    <RouterLink to="/offers">All offers</RouterLink>
  </StateBlock>
  <template v-else>
    <PageHead :title="offer.name" :says="`${placeWords(offer)} · ${stateWords(offer)}`">
      <a v-if="offer.previewUrl" :href="offer.previewUrl" target="_blank" rel="noopener noreferrer nofollow"
        >Look at the page</a
      >
      <RouterLink to="/offers">All offers</RouterLink>
    </PageHead>
    <div class="stack">
      <section class="sheet pad" aria-label="What you get">
        <h2>What you get</h2>
        <dl>
          <template v-for="p in offer.pays" :key="p.event">
            <dt>{{ p.event }}</dt>
            <dd><strong>{{ p.amount }}</strong> <span class="quiet">{{ p.approval }}</span></dd>
          </template>
        </dl>
        <p v-for="cap in offer.caps" :key="cap">
          {{ cap }}. Further visitors go to another page, and you are not paid for them.
        </p>
      </section>
      <section v-if="!mayPromote(offer)" class="sheet pad" aria-label="Access">
        <h2>{{ accessWords(offer) }}</h2>
        <p v-if="offer.reason">{{ offer.reason }}</p>
        <form v-if="offer.access === 'none'" @submit.prevent="askFor">
          <FormField
            v-slot="{ id: field, described }"
            label="What you plan (optional)"
            hint="For example where your visitors come from."
          >
            <Textarea :id="field" v-model="note" rows="3" maxlength="500" :aria-describedby="described" />
          </FormField>
          <Button type="submit" :disabled="busy">Ask for this offer</Button>
        </form>
      </section>
      <section v-if="mustAccept(offer)" class="sheet pad" aria-label="Terms">
        <h2>Terms</h2>
        <GuideText :text="offer.terms" />
        <Button v-if="mayPromote(offer)" :disabled="busy" @click="accept">Accept terms</Button>
      </section>
      <p v-if="wrong" class="error" role="alert">{{ wrong }}</p>
      <OwnLinks v-if="mayPromote(offer) && !mustAccept(offer)" :offer="offer" />
      <section v-if="offer.description" class="sheet pad" aria-label="About this offer">
        <h2>About this offer</h2>
        <GuideText :text="offer.description" />
      </section>
      <section v-if="offer.terms && offer.termsAcceptedAt" class="sheet pad" aria-label="Terms">
        <h2>Terms</h2>
        <GuideText :text="offer.terms" />
        <p class="quiet">You accepted these terms ({{ moment(offer.termsAcceptedAt, zone) }}).</p>
      </section>
    </div>
  </template>
</template>
<style scoped>
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 4px 16px;
  margin: 6px 0 0;
}
dd {
  margin: 0;
}
form {
  display: grid;
  justify-items: start;
  gap: 6px;
}
form :deep(.p-textarea),
form :deep(.field) {
  width: 100%;
}
section > button {
  margin-top: 8px;
}
</style>
