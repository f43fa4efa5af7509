<script setup lang="ts">
/** The handover sheet of a network: what to paste where, in the form in which it wants it, and what has come by it so far. */
import PickOne from '../../ui/PickOne.vue';
import Button from 'primevue/button';
import type { NetworkInput, NetworkSeen, PartRecord } from '@tracheon/core/contract';
import {
  checkLink,
  handoverText,
  handoverUrls,
  pixelTag,
  type HandoverSplit,
  type PixelKind,
} from '@tracheon/core/links';
import { useConfirm } from 'primevue/useconfirm';
import { useToast } from 'primevue/usetoast';
import { computed, onMounted, ref, watch } from 'vue';
import { ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import CopyButton from '../../ui/CopyButton.vue';
import FindingsList from '../../ui/FindingsList.vue';
import { count, moment } from '../../ui/format.ts';
import LinkText from '../../ui/LinkText.vue';
import LiveTest from '../../shared/LiveTest.vue';
import PixelShare from './PixelShare.vue';

const props = defineProps<{
  network: NetworkInput;
  /** null while it is not saved: its key is not made yet. */
  part: PartRecord<'network'> | null;
}>();
const parts = useParts();
const session = useSession();
const confirm = useConfirm();
const toast = useToast();
const split = ref<HandoverSplit>('one');
const form = ref<'address' | PixelKind>('address');
const knownBy = ref<'click_id' | 'cookie'>('click_id');
const isSecure = computed(() => (session.me?.trackingOrigin ?? '').startsWith('https:'));
const offerId = ref('');
const seen = ref<NetworkSeen | null>(null);
const secret = ref('');
watch(
  () => [props.part?.id, props.part?.version, props.network.callerProof],
  async () => {
    const id = props.part?.id;
    secret.value =
      id && props.network.callerProof === 'signature'
        ? await ask('networkSecret', { id }).then(
            (a) => a.secret,
            () => '',
          )
        : '';
  },
  { immediate: true },
);
const events = computed(() => parts.of('event-type').map((e) => ({ name: e.body.name, word: e.body.word })));
const urls = computed(() =>
  handoverUrls(
    session.me?.trackingOrigin ?? '',
    props.part?.key ?? '…',
    props.network,
    split.value,
    events.value,
  ),
);
const shown = (url: string): string =>
  form.value === 'address' ? url : pixelTag(url, form.value, props.network, knownBy.value === 'cookie');
const scope = computed(() => parts.one('offer', offerId.value)?.body.name ?? 'all offers');
const name = computed(() => props.network.name || 'the network');
const findings = computed(() =>
  checkLink(urls.value[0]!.url, {
    expander: 'they',
    place: 'conversion',
    shape: props.network.macroStyle,
    theirs: Object.fromEntries(Object.entries(props.network.fields).map(([f, m]) => [f, m.macro])),
  }),
);
const payoutReported = computed(() =>
  parts.of('offer').some((o) => o.body.networkId === props.part?.id && o.body.payoutMode === 'reported'),
);
const where = computed(() => {
  if (form.value !== 'address')
    return knownBy.value === 'cookie'
      ? 'Place it on the advertiser’s thank-you page. The visitor’s cookie tells whose conversion it is. Browsers that block third-party cookies send none.'
      : 'Place it on the advertiser’s thank-you page. Use it for advertisers that can’t send postbacks.';
  const field =
    split.value === 'one'
      ? 'the postback field'
      : `its field for each ${split.value === 'status' ? 'status' : 'event type'}`;
  return offerId.value === ''
    ? `Paste it into ${field} of your account at ${name.value} (“global postback”), or mail it to your account manager.`
    : `Paste it into ${field} of the offer “${scope.value}” at ${name.value}.`;
});
/** What came of this status or event in the last 30 days. */
function seenOf(of: string): string {
  if (!seen.value) return '';
  const rows = seen.value.rows.filter(
    (r) => of === '' || (split.value === 'status' ? r.status === of : r.eventName === of),
  );
  const n = rows.reduce((sum, r) => sum + r.count, 0);
  if (n === 0) return 'nothing received in the last 30 days';
  const last = rows
    .map((r) => r.lastAt)
    .sort()
    .at(-1)!;
  const repair = rows.filter((r) => r.outcome === 'repair').reduce((sum, r) => sum + r.count, 0);
  return `${count(n)} received in the last 30 days, the last at ${moment(last, session.desk.zone)}${repair > 0 ? `, ${count(repair)} needs repair` : ''}`;
}
onMounted(async () => {
  if (props.part) seen.value = await ask('networkSeen', { id: props.part.id }).catch(() => null);
});
function askRotate(): void {
  confirm.require({
    header: 'Create a new key for this network?',
    message: `Tracheon accepts the old URL for 30 more days. Give ${name.value} the new URL before then.`,
    acceptLabel: 'Create new key',
    rejectLabel: 'Cancel',
    accept: async () => {
      try {
        await ask('rotateKey', { kind: 'network', id: props.part!.id, body: { overlapDays: 30 } });
        await parts.load();
        toast.add({
          severity: 'secondary',
          summary: 'New key',
          detail: 'Copy the new URL and send it to the network.',
          life: 6000,
        });
      } catch (error) {
        toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
      }
    },
  });
}
</script>
<template>
  <section class="hand" aria-label="Handover">
    <div class="row spread">
      <strong>Handover</strong>
      <span v-if="part" class="row">
        <LiveTest v-if="session.canEdit" kind="network" :id="part.id" :network-id="part.id" :name="name" />
        <CopyButton
          :text="handoverText(name, urls, scope)"
          label="Copy as message"
          hint="A text for the account manager"
        />
      </span>
    </div>
    <div class="row choose">
      <label
        >as
        <PickOne
          v-model="split"
          aria-label="One URL or several"
          :options="[
            { value: 'one', label: 'one URL' },
            { value: 'status', label: 'one for each status' },
            { value: 'event', label: 'one for each event type' },
          ]"
      /></label>
      <label
        >for
        <PickOne
          v-model="offerId"
          aria-label="For which offers"
          :options="[
            { value: '', label: 'all offers' },
            ...parts
              .of('offer')
              .filter((p) => p.body.networkId === part?.id)
              .map((o) => ({ value: o.id, label: o.body.name })),
          ]"
      /></label>
      <label
        >written as
        <PickOne
          v-model="form"
          aria-label="Written as"
          :options="[
            { value: 'address', label: 'an address' },
            { value: 'image', label: 'an image pixel' },
            { value: 'iframe', label: 'an iframe pixel' },
            { value: 'script', label: 'a script' },
          ]"
      /></label>
      <label v-if="form !== 'address'"
        >visit known by
        <PickOne
          v-model="knownBy"
          aria-label="Visit known by"
          :options="[
            { value: 'click_id', label: 'the click ID' },
            { value: 'cookie', label: 'the cookie' },
          ]"
      /></label>
    </div>
    <div v-for="u in urls" :key="u.of" class="url">
      <div class="row spread">
        <span>{{ u.of || (form === 'address' ? 'Postback URL' : 'Pixel tag') }}</span>
        <CopyButton
          v-if="part"
          :text="shown(u.url)"
          :label="u.of ? 'Copy' : form === 'address' ? 'Copy postback URL' : 'Copy pixel tag'"
          :hint="`${form === 'address' ? 'Postback URL' : 'Pixel tag'} for ${name}${u.of ? `, ${u.of}` : ''}`"
        />
      </div>
      <LinkText v-if="form === 'address'" :link="u.url" expander="they" />
      <code v-else class="tag">{{ shown(u.url) }}</code>
      <span v-if="seenOf(u.of)" class="quiet small">{{ seenOf(u.of) }}</span>
    </div>
    <p v-if="form !== 'address' && knownBy === 'cookie' && !isSecure" class="small warn" role="note">
      Browsers send the cookie only over https. Your tracking domain uses http, so use the click ID.
    </p>
    <PixelShare v-if="seen && seen.pixels.length > 0" :pixels="seen.pixels" />
    <p v-if="secret" class="small">
      The network signs each postback with this secret: <code>{{ secret }}</code>
      <CopyButton :text="secret" label="Copy secret" /><br />
      Header <code>Tracheon-Signature: t=&lt;seconds since 1970&gt;, s=&lt;hex&gt;</code>: HMAC-SHA256 of
      <code>&lt;t&gt;.&lt;query&gt;.&lt;body&gt;</code>. A signature is good for five minutes.
    </p>
    <FindingsList :findings="findings.map(({ fix, ...f }) => f)" />
    <p v-if="part && payoutReported && network.fields.payout.macro === ''" class="small warn" role="note">
      An offer of {{ name }} uses the reported payout, but the payout macro is missing. Conversions would have
      no payout.
    </p>
    <p class="quiet small">
      {{ part ? where : 'Tracheon creates the key when you save the network.' }}
      <Button variant="link" v-if="part && session.canEdit" @click="askRotate">New key …</Button>
    </p>
  </section>
</template>
<style scoped>
.hand {
  background: var(--tint);
  border-radius: 6px;
  padding: 10px 12px;
  margin-bottom: 12px;
  display: grid;
  gap: 6px;
}
.choose {
  gap: 12px;
  flex-wrap: wrap;
  font-size: 12px;
}
.choose select {
  height: 28px;
  width: auto;
}
.url {
  border-top: 1px solid var(--hairline);
  padding-top: 4px;
  display: grid;
}
.tag {
  overflow-wrap: anywhere;
  font-size: 12px;
}
.small {
  font-size: 12px;
  margin: 0;
}
.warn {
  color: var(--error);
}
</style>
