<script setup lang="ts">
/** Two ways to see that conversions arrive: send the postback that the network would send, or wait for one of its own. */
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import InputText from 'primevue/inputtext';
import { statuses, type LiveTestAnswer, type TestConversion } from '@tracheon/core/contract';
import { isByPartner } from '@tracheon/core/links';
import { computed, reactive, ref } from 'vue';
import { useRouter } from 'vue-router';
import { ask } from '../app/api.ts';
import { useParts } from '../app/parts.ts';
import AmountInput from '../ui/AmountInput.vue';
import FormField from '../ui/FormField.vue';
import LinkText from '../ui/LinkText.vue';
import PickOne from '../ui/PickOne.vue';
import SideSheet from '../ui/SideSheet.vue';
import WaitForPostback from './WaitForPostback.vue';

const props = defineProps<{ kind: 'network' | 'offer'; id: string; networkId: string; name: string }>();
const parts = useParts();
const router = useRouter();
/** A network that can't store our click ID reports no visits, so none of its conversions can be a test. */
const canTest = computed(() => {
  const network = parts.one('network', props.networkId);
  return !network || !isByPartner(network.body);
});
const isSending = ref(false);
const waits = ref(false);
const said = reactive<Required<TestConversion>>({
  eventTypeId: '',
  status: '',
  payoutMicros: '',
  transaction: '',
  reportToSource: false,
});
const busy = ref(false);
const failure = ref('');
const answer = ref<LiveTestAnswer | null>(null);

async function send(): Promise<void> {
  if (busy.value) return;
  busy.value = true;
  failure.value = '';
  answer.value = null;
  try {
    answer.value = await ask(props.kind === 'network' ? 'testNetwork' : 'testOffer', {
      id: props.id,
      body: { ...said },
    });
  } catch (error) {
    failure.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
const show = (id: string): void => void router.push(`/conversions/postbacks-in?open=${id}`);
</script>
<template>
  <span class="row">
    <Button v-if="canTest" variant="link" @click="isSending = true">Send test postback</Button>
    <Button variant="link" @click="waits = true">Wait for a postback</Button>
  </span>
  <WaitForPostback v-if="waits" v-model:open="waits" :network-id="networkId" @caught="show" />
  <SideSheet
    v-if="isSending"
    v-model:open="isSending"
    title="Send test postback"
    :says="`Tracheon sends the postback that the network would send for ${name}, to your real postback URL. The conversion is a test and counts nowhere.`"
  >
    <form class="stack" @submit.prevent="send">
      <div class="halves">
        <FormField v-slot="{ id: field }" label="Event type">
          <PickOne
            :id="field"
            v-model="said.eventTypeId"
            :options="[
              { value: '', label: 'not specified' },
              ...parts.of('event-type').map((e) => ({ value: e.id, label: e.body.name })),
            ]"
          />
        </FormField>
        <FormField v-slot="{ id: field }" label="Status" hint="Sent as the network’s own word.">
          <PickOne
            :id="field"
            v-model="said.status"
            :options="[
              { value: '', label: 'not specified' },
              ...statuses.map((s) => ({ value: s, label: s })),
            ]"
          />
        </FormField>
        <FormField v-slot="{ id: field }" label="Payout">
          <AmountInput :id="field" v-model="said.payoutMicros" />
        </FormField>
        <FormField v-slot="{ id: field }" label="Transaction">
          <InputText :id="field" v-model="said.transaction" class="mono-input" autocomplete="off" />
        </FormField>
      </div>
      <label class="row"
        ><Checkbox v-model="said.reportToSource" binary /> Report this test to the source, like a real
        conversion</label
      >
      <Button type="submit" class="send" :disabled="busy">{{
        busy ? 'Sending …' : 'Send test postback'
      }}</Button>
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <section v-if="answer" aria-label="Result" class="stack" role="status">
        <p>
          <strong>Tracheon answered {{ answer.status }}.</strong> The postback reports the test visit …{{
            answer.clickId.slice(-6)
          }}
          of {{ answer.campaignName }}.
        </p>
        <LinkText :link="answer.url" expander="they" />
        <code class="answer">{{ answer.answer }}</code>
        <Button
          v-if="answer.receiptId"
          severity="secondary"
          type="button"
          class="send"
          @click="show(answer.receiptId)"
          >Open postback</Button
        >
      </section>
    </form>
  </SideSheet>
</template>
<style scoped>
.halves {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 2px 14px;
}
.send {
  align-self: start;
  justify-self: start;
}
.answer {
  overflow-wrap: anywhere;
}
p {
  margin: 0;
}
</style>
