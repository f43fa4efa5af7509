<script setup lang="ts">
/** An offer whose page the partner still has to put up: what Tracheon looks for, and what it saw last. */
import Button from 'primevue/button';
import type { OfferWait } from '@tracheon/core/contract';
import { onMounted, ref, shallowRef } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { moment } from '../../ui/format.ts';

const props = defineProps<{ offerId: string }>();
const session = useSession();
const wait = shallowRef<OfferWait | null>(null);
const failure = ref('');
const busy = ref(false);
onMounted(async () => {
  wait.value = await ask('offerWait', { id: props.offerId }).catch(() => null);
});
async function look(): Promise<void> {
  if (busy.value) return;
  [busy.value, failure.value] = [true, ''];
  try {
    wait.value = await ask('lookNow', { id: props.offerId });
  } catch (error) {
    failure.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
</script>
<template>
  <div class="row" role="status">
    <span v-if="wait?.readyAt" class="good"
      >The page is there since {{ moment(wait.readyAt, session.desk.zone) }}. Set the status to live.</span
    >
    <span v-else-if="wait?.lookedAt"
      >{{ wait.sentence }} Tracheon looked {{ moment(wait.lookedAt, session.desk.zone) }}, and looks every
      five minutes.</span
    >
    <span v-else class="quiet">Tracheon looks at the saved link every five minutes.</span>
    <Button v-if="session.canEdit" severity="secondary" :disabled="busy" @click="look">{{
      busy ? 'Looking …' : 'Look now'
    }}</Button>
  </div>
  <p v-if="failure" class="error" role="alert">{{ failure }}</p>
</template>
<style scoped>
.good {
  font-weight: 600;
}
</style>
