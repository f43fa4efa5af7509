<script setup lang="ts">
/** One postback opened: read step by step, its visit, what it changed, what went on to the source, and how to repair it. */
import Button from 'primevue/button';
import { useToast } from 'primevue/usetoast';
import { computed, ref, watch } from 'vue';
import { postbackFieldLabels, reasonSentence } from '@tracheon/core/conversions';
import { curlText } from '@tracheon/core/links';
import { ask } from '../../app/api.ts';
import { useAnswer } from '../../base/useAnswer.ts';
import { useSession } from '../../app/session.ts';
import { countryName, moment, money } from '../../ui/format.ts';
import CopyButton from '../../ui/CopyButton.vue';
import SideSheet from '../../ui/SideSheet.vue';
import StateBlock from '../../ui/StateBlock.vue';
import StatusMark from '../../ui/StatusMark.vue';
import { ledgerWords } from './conversionWords.ts';
import { listWord } from './filters.ts';
import MapWord from './MapWord.vue';
import ReadingSteps from './ReadingSteps.vue';

const props = defineProps<{ id: string }>();
const emit = defineEmits<{ changed: [] }>();
const open = defineModel<boolean>('open', { required: true });
const session = useSession();
const toast = useToast();
const busy = ref(false);
const {
  answer: whole,
  failure,
  load,
} = useAnswer(
  () => (open.value ? props.id : ''),
  (id) => ask('postbackIn', { id }),
);
const curl = computed(() => {
  if (!whole.value) return '';
  const { postback, path, contentType } = whole.value;
  const query = postback.rawQuery === '' ? '' : `?${postback.rawQuery}`;
  const url = `${session.me?.trackingOrigin ?? ''}${path}${query}`;
  return curlText({ method: postback.method, url, body: postback.body, contentType });
});
const again = ref('');
watch(
  () => [props.id, open.value],
  () => (again.value = ''),
);
/** What would come of the very same request, if it came once more now. */
async function tryAgain(): Promise<void> {
  again.value = '';
  try {
    const { outcome, reason, detail } = await ask('tryPostback', { id: props.id });
    again.value = `If it came again now: ${listWord(outcome)}. ${reasonSentence(reason, detail)}`;
  } catch (error) {
    again.value = (error as Error).message;
  }
}
/** A word that can be mapped right here. */
const unmapped = computed(() => {
  const reason = whole.value?.postback.reason;
  if (reason !== 'unmapped_status' && reason !== 'unmapped_event') return null;
  const what = reason === 'unmapped_status' ? ('status' as const) : ('event' as const);
  const step = whole.value!.steps.find((s) => s.field === postbackFieldLabels[what]);
  return step?.isTrouble && step.value !== '' ? { what, word: step.value } : null;
});

async function run(how: 'reprocessPostback' | 'releasePostback'): Promise<void> {
  if (busy.value) return;
  busy.value = true;
  try {
    const { outcome, reason, detail } = await ask(how, { id: props.id });
    toast.add({
      severity: 'secondary',
      summary: `Now: ${listWord(outcome)}`,
      detail: reasonSentence(reason, detail),
      life: 4000,
    });
    emit('changed');
    await load();
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
  } finally {
    busy.value = false;
  }
}
const noteWords = (note: string): string => {
  const [what, name] = note.split(':');
  const words: Record<string, string> = {
    repeated: `“${name}” appeared more than once; Tracheon used the first value.`,
    unsubstituted: `The network did not replace the macro for ${name}.`,
    no_amount: `Tracheon can’t read ${name} as an amount.`,
    trimmed: `Tracheon removed spaces around ${name}.`,
    cut: `${name} was too long and was cut.`,
    unreadable: `${name} is not a valid time, so Tracheon did not use it.`,
    far_ahead: `${name} is more than a day ahead of its arrival, so Tracheon did not use it.`,
    no_zone: `${name} has no time zone, and none is set at the network; Tracheon read it as UTC.`,
    before_visit: 'The conversion time is before the visit.',
    cookie: 'The browser’s cookie told whose conversion it is.',
    unwrapped: 'Tracheon removed brackets or quotes around the click ID.',
    byte_order_mark: 'The body began with a byte order mark, which Tracheon skipped.',
    html_ampersand: 'The parameters were separated by “&amp;”, which Tracheon read as “&”.',
    raw_request_line:
      'The URL contained raw spaces or special characters, which Tracheon read as if they were encoded.',
    replaced_characters: 'Tracheon replaced characters that it cannot store.',
    refund: 'The negative amount counts as a refund.',
  };
  return words[what!] ?? note;
};
</script>
<template>
  <SideSheet v-model:open="open" title="One postback" wide>
    <StateBlock v-if="failure" state="failed" :words="failure" @again="load" />
    <StateBlock v-else-if="!whole" state="loading" />
    <div v-else class="stack">
      <p class="outcome"><StatusMark :word="whole.postback.outcome" /> {{ whole.postback.sentence }}</p>
      <p v-if="whole.postback.setAsideReason">Set aside: {{ whole.postback.setAsideReason }}</p>
      <MapWord
        v-if="session.canEdit && unmapped"
        :network-id="whole.postback.networkId"
        :what="unmapped.what"
        :word="unmapped.word"
        @mapped="run('reprocessPostback')"
      />
      <div
        v-else-if="session.canEdit && ['repair', 'set_aside'].includes(whole.postback.outcome)"
        class="row"
      >
        <Button :disabled="busy" @click="run('reprocessPostback')">
          {{ busy ? 'Reprocessing …' : 'Reprocess postback' }}
        </Button>
        <span class="quiet"
          >Fix the
          <RouterLink :to="`/parts/network?open=${whole.postback.networkId}`">network’s mapping</RouterLink>
          first. Reprocessing never counts anything twice.</span
        >
      </div>
      <div v-if="session.canEdit && whole.postback.outcome === 'held'" class="row">
        <Button :disabled="busy" @click="run('releasePostback')">
          {{ busy ? 'Processing …' : 'Release and process' }}
        </Button>
        <span class="quiet"
          >If this address belongs to the network, add it to the
          <RouterLink :to="`/parts/network?open=${whole.postback.networkId}`"
            >network’s allowed addresses</RouterLink
          >. Later postbacks from it won’t be held.</span
        >
      </div>

      <section aria-label="How Tracheon read it">
        <h3>How Tracheon read it</h3>
        <p class="quiet">With the current mapping of {{ whole.postback.networkName }}.</p>
        <ReadingSteps :steps="whole.steps" />
        <ul v-if="whole.postback.notes.length" class="notes">
          <li v-for="n in whole.postback.notes" :key="n">{{ noteWords(n) }}</li>
        </ul>
      </section>

      <dl>
        <dt>Visit</dt>
        <dd>
          <template v-if="whole.visit"
            ><code>{{ whole.visit.clickId }}</code> · {{ moment(whole.visit.at, session.desk.zone)
            }}<template v-if="whole.visit.country"> · {{ countryName(whole.visit.country) }}</template
            ><template v-if="whole.visit.isTest"> · test</template><br /><RouterLink
              :to="`/campaigns/${whole.visit.campaignId}`"
              >{{ whole.visit.campaignName }}</RouterLink
            ><template v-if="whole.visit.offerName"> → {{ whole.visit.offerName }}</template></template
          >
          <span v-else class="quiet">No visit matched.</span>
        </dd>
        <dt>What changed</dt>
        <dd>
          <p v-for="(b, i) in whole.booked" :key="i">
            {{ money(b.deltaMicros, 2, true) }} {{ b.currency }} {{ ledgerWords[b.kind]
            }}<span v-if="b.currency !== session.desk.currency" class="quiet">
              ({{
                b.baseDeltaMicros === null
                  ? `no rate to ${session.desk.currency} yet`
                  : `${money(b.baseDeltaMicros, 2, true)} ${session.desk.currency}`
              }})</span
            >
          </p>
          <span v-if="whole.booked.length === 0" class="quiet">No amount changed.</span>
        </dd>
        <dt>Conversion now</dt>
        <dd>
          <template v-if="whole.conversion"
            ><StatusMark :word="whole.conversion.status" /> {{ whole.conversion.eventName }} ·
            <RouterLink :to="`/conversions/all?search=${whole.conversion.clickId}`"
              >Show conversion</RouterLink
            ></template
          >
          <span v-else class="quiet">None.</span>
        </dd>
        <dt>Sent on</dt>
        <dd>
          <p v-for="s in whole.sent" :key="s.id">
            <StatusMark :word="s.state" /> status {{ s.status }} to {{ s.sourceName }}
          </p>
          <span v-if="whole.sent.length === 0" class="quiet">No postback to the source.</span>
        </dd>
        <dt>Received</dt>
        <dd>{{ moment(whole.postback.receivedAt, session.desk.zone) }} ({{ session.desk.zone }})</dd>
        <template v-if="whole.byHand"
          ><dt>Reason</dt>
          <dd>{{ whole.byHand }}</dd></template
        >
        <dt>Raw request</dt>
        <dd>
          <code class="raw"
            >{{ whole.postback.method }} {{ whole.path
            }}{{ whole.postback.rawQuery ? `?${whole.postback.rawQuery}` : '' }}</code
          >
          <div
            v-if="session.canEdit && (whole.channel === 'postback' || whole.channel === 'pixel')"
            class="row"
          >
            <CopyButton :text="curl" label="Copy as curl" hint="A command that sends the same request" />
            <Button variant="link" @click="tryAgain">Try again as a test</Button>
          </div>
          <p v-if="again" role="status">{{ again }}</p>
        </dd>
        <template v-if="whole.postback.body"
          ><dt>Raw body</dt>
          <dd>
            <code class="raw">{{ whole.postback.body }}</code>
          </dd></template
        >
      </dl>
    </div>
  </SideSheet>
</template>
<style scoped src="./lists.css"></style>
<style scoped>
.outcome {
  font-weight: 600;
}
</style>
