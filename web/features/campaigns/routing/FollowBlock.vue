<script setup lang="ts">
/** The published tracking link, walked hop by hop as the described visitor. */
import Button from 'primevue/button';
import type { FollowAnswer, FollowedHop, TestVisitor } from '@tracheon/core/contract';
import { CircleAlert, CircleCheck } from '@lucide/vue';
import { ref } from 'vue';
import { ask } from '../../../app/api.ts';

const props = defineProps<{ campaignId: string; visitor: TestVisitor; isDirty: boolean }>();
const answer = ref<FollowAnswer | null>(null);
const failure = ref('');
const busy = ref(false);
async function follow(): Promise<void> {
  if (busy.value) return;
  busy.value = true;
  failure.value = '';
  try {
    answer.value = await ask('follow', { id: props.campaignId, body: props.visitor });
  } catch (error) {
    answer.value = null;
    failure.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
const wayWords: Record<FollowedHop['way'], string> = {
  redirect: 'redirects',
  refresh: 'forwards automatically',
  end: 'is the last page',
  failed: 'does not answer',
  own: 'is your own tracking domain',
};
const changeWords = ({ name, what, to }: FollowedHop['changes'][number]): string =>
  what === 'moved'
    ? `${name} became ${to}`
    : what === 'changed'
      ? `${name} got another value: ${to}`
      : `${name} was dropped`;
</script>
<template>
  <section aria-label="Follow for real" class="follow">
    <div class="row">
      <Button severity="secondary" :disabled="busy" @click="follow">{{
        busy ? 'Following …' : 'Follow for real'
      }}</Button>
      <span class="quiet"
        >Sends one test visit by the tracking link and follows each redirect. It uses the published routing{{
          isDirty ? ', not this draft' : ''
        }}. It shows in lists and counts nowhere.</span
      >
    </div>
    <p v-if="failure" class="row error" role="alert">
      <CircleAlert :size="14" aria-hidden="true" /> {{ failure }}
    </p>
    <div v-for="leg in answer?.legs ?? []" :key="leg.button" class="leg">
      <h3>{{ leg.button === 0 ? 'Tracking link' : `Button ${leg.button}` }}</h3>
      <p class="mono address quiet">{{ leg.from }}</p>
      <ol>
        <li v-for="(hop, i) in leg.hops" :key="i">
          <span class="mono address">{{ hop.url }}</span>
          <span class="quiet changes"
            >{{ wayWords[hop.way] }}{{ hop.status === null ? '' : ` (${hop.status})` }},
            {{ hop.tookMs }} ms</span
          >
          <span v-if="hop.changes.length > 0" class="quiet changes">{{
            hop.changes.map(changeWords).join(', ')
          }}</span>
        </li>
      </ol>
      <p role="status" class="row" :class="{ error: !leg.isFound }">
        <component :is="leg.isFound ? CircleCheck : CircleAlert" :size="14" aria-hidden="true" />
        {{ leg.sentence }}
      </p>
    </div>
  </section>
</template>
<style scoped>
.follow {
  border-top: 1px solid var(--hairline);
  padding-top: 8px;
}
.leg h3 {
  margin-top: 8px;
}
.address {
  overflow-wrap: anywhere;
  font-size: 12px;
}
ol {
  margin: 4px 0;
  padding-left: 20px;
}
.changes {
  display: block;
  font-size: 12px;
}
</style>
