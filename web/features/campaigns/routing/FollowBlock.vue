<script setup lang="ts">
/** The published tracking link, walked hop by hop as the described visitor. */
import Button from 'primevue/button';
import type { FollowAnswer, TestVisitor } from '@tracheon/core/contract';
import { CircleAlert } from '@lucide/vue';
import { ref } from 'vue';
import { ask } from '../../../app/api.ts';
import FollowedHops from '../../../shared/FollowedHops.vue';

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
      <FollowedHops :hops="leg.hops" :is-found="leg.isFound" :sentence="leg.sentence" />
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
</style>
