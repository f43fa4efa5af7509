<script setup lang="ts">
/** The setup sheet: the whole chain on one page, with its trail and its live checklist beside it all the while. */
import Button from 'primevue/button';
import type { PartRecord, SheetField } from '@tracheon/core/contract';
import { CircleAlert, Rocket } from '@lucide/vue';
import { computed, nextTick, ref, watch, type Component } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useKeys } from '../../app/keys.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import CopyButton from '../../ui/CopyButton.vue';
import { trackingLink } from '@tracheon/core/links';
import { clock } from '../../ui/format.ts';
import { provideBeginning, type Beginning } from '../../shared/newPart.ts';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import IdTrail from '../../shared/trail/IdTrail.vue';
import LiveChecklist from '../../shared/trail/LiveChecklist.vue';
import { useCampaignLive } from '../../shared/trail/useCampaignLive.ts';
import LandingPageForm from '../parts/LandingPageForm.vue';
import NetworkForm from '../parts/NetworkForm.vue';
import SourceForm from '../parts/SourceForm.vue';
import TemplateChoice from '../parts/TemplateChoice.vue';
import SheetList from './SheetList.vue';
import StepCampaign from './StepCampaign.vue';
import StepCard from './StepCard.vue';
import StepLinks from './StepLinks.vue';
import StepOffer from './StepOffer.vue';
import StepPage from './StepPage.vue';
import StepSource from './StepSource.vue';
import { fromCampaign } from './fromCampaign.ts';
import { useChain } from './useChain.ts';
import { useSheet } from './useSheet.ts';

const props = defineProps<{ start: string }>();
const emit = defineEmits<{ begun: [id: string] }>();
const route = useRoute();
const router = useRouter();
const parts = useParts();
const session = useSession();
const id = ref(props.start);
const sheet = useSheet(id, (begun) => {
  id.value = begun;
  emit('begun', begun);
  void router.replace(`/set-up/${begun}`);
});
const { body } = sheet;
const chain = useChain(body, sheet.isKept);
/** Beside a field: at once where something was typed into it, everywhere once going live was tried. */
const isTried = ref(false);
const errors = computed(() => {
  const typed = Object.entries(chain.problems.value).filter(
    ([field]) => isTried.value || Boolean(body[field as SheetField]),
  );
  return { ...Object.fromEntries(typed), ...sheet.fieldErrors.value };
});
const campaign = computed(() => parts.one('campaign', sheet.campaignId.value));
const shown = useCampaignLive(sheet.campaignId);
const isLive = computed(() => sheet.campaignId.value !== '');
const tracking = computed(() =>
  campaign.value && chain.source.value
    ? trackingLink(session.me?.trackingOrigin ?? '', campaign.value.key, chain.source.value.body)
    : '',
);
const copy = ref<InstanceType<typeof CopyButton> | null>(null);

/** The step that is worked on stays open; the others shrink to a line once they are done. */
const current = ref(0);
/** A direct link is a choice too, once the step was passed. */
const isPagePassed = ref(false);
watch(current, (now, before) => {
  if (before === 3 || now > 3) isPagePassed.value = true;
});
const done = computed(() => [
  chain.chosenOffer.value !== undefined ||
    (body.link !== '' && chain.network.value !== undefined && chain.pasted.value.problem === ''),
  chain.source.value !== undefined,
  body.landingPageId !== '' || isPagePassed.value || isLive.value,
  chain.names.value.campaign !== '' && done1and2(),
  isLive.value,
]);
const done1and2 = (): boolean => chain.source.value !== undefined && body.link + body.offerId !== '';
const isOpen = (n: number): boolean =>
  isLive.value ? n === 5 || current.value === n : current.value === n || !done.value[n - 1] || n === 4;
const summaries = computed(() => {
  const { network, source, page, offer, name, costModel } = {
    network: chain.network.value?.body.name,
    source: chain.source.value?.body,
    page: chain.page.value?.body,
    offer: shown.offer.value?.body ?? chain.offer.value,
    name: campaign.value?.body.name ?? (body.campaignName || chain.names.value.campaign),
    costModel: chain.costModel.value,
  };
  const cost = { link: 'cost from the tracking link', visit: 'fixed cost per visit', none: 'unknown cost' };
  return [
    body.link + body.offerId === ''
      ? 'Paste the offer link to start.'
      : [
          offer.name,
          offer.name.includes(network ?? ' ') ? '' : network,
          offer.name.includes(body.country || ' ') ? '' : body.country,
          offer.payoutMode === 'fixed' ? 'payout fixed' : 'payout as reported',
        ]
          .filter(Boolean)
          .join(' · '),
    source
      ? `${source.name} · ${source.parameters.length} parameters · ${source.parameters.some((p) => p.role === 'cost') ? `tells its cost in ${source.costCurrency}` : 'tells no cost'}`
      : 'The ad network that sends the visits.',
    page ? `${page.name} · ${page.buttons === 1 ? '1 button' : `${page.buttons} buttons`}` : 'Direct link',
    [name || 'Named by your desk’s rule', cost[costModel]].join(' · '),
    isLive.value ? 'Copy the links to where they belong.' : 'Links for the network and the source.',
  ];
});

const beginning = ref<Beginning | null>(null);
provideBeginning(beginning);
const forms: Record<string, Component> = {
  network: NetworkForm,
  source: SourceForm,
  'landing-page': LandingPageForm,
};
const fields: Record<string, SheetField> = {
  network: 'networkId',
  source: 'sourceId',
  'landing-page': 'landingPageId',
};
const making = ref<'' | 'network' | 'source' | 'landing-page'>('');
const makingOpen = computed({ get: () => making.value !== '', set: (o) => o || (making.value = '') });
const template = ref<'' | 'network' | 'source'>('');
const templateOpen = computed({ get: () => template.value !== '', set: (o) => o || (template.value = '') });
const handingOver = ref(false);
function make(kind: Exclude<typeof making.value, ''>, from: object): void {
  beginning.value = { key: `set-up.${id.value || 'new'}.${kind}`, body: from };
  making.value = kind;
}
async function useTemplate(from: object): Promise<void> {
  const kind = template.value;
  template.value = '';
  if (kind === '') return;
  // The host of the pasted link is the network's, whatever its template says.
  const { host } = chain.pasted.value;
  const hosts = (from as { hosts?: string[] }).hosts ?? [];
  const more = kind === 'network' && host !== '' && !hosts.includes(host) ? { hosts: [...hosts, host] } : {};
  await nextTick();
  make(kind, { ...from, ...more });
}
function made(record: PartRecord): void {
  const field = fields[record.kind];
  if (field) (body as Record<string, unknown>)[field] = record.id;
  making.value = '';
  beginning.value = null;
}
function copyFrom(campaignId: string): void {
  const from = parts.one('campaign', campaignId);
  if (from) Object.assign(body, fromCampaign(from, parts));
}
/** From a campaign's own page, or the palette. */
watch(
  () => [route.query.from, parts.state] as const,
  ([from, state]) => {
    if (typeof from === 'string' && state === 'ready' && id.value === '' && body.offerId === '')
      copyFrom(from);
  },
  { immediate: true },
);
async function goLive(): Promise<void> {
  if (!session.canEdit || isLive.value) return;
  isTried.value = true;
  if (await sheet.goLive()) {
    current.value = 5;
    await shown.load();
  }
}
const draftSays = computed(() => {
  if (isLive.value) return 'Live';
  const also = sheet.others.value.length > 0 ? ` · ${sheet.others.value.join(', ')} also editing` : '';
  if (sheet.saving.value) return `Saving draft …${also}`;
  return sheet.keptAt.value
    ? `Draft saved ${clock(sheet.keptAt.value, session.desk.zone).slice(0, 5)}${also}`
    : '';
});
const fieldWords: Partial<Record<SheetField, string>> = {
  link: 'the offer link',
  campaignName: 'the campaign’s name',
  sourceId: 'the source',
  networkId: 'the network',
  landingPageId: 'the landing page',
};
const nameOfValue = (value: unknown): string =>
  parts.byId.get(String(value))?.body.name ?? (String(value) || 'nothing');
const leftOver = computed(() =>
  Object.entries(sheet.fieldErrors.value).filter(
    ([path]) =>
      !/^(link|networkId|payoutMicros|currency|offerName|sourceId|account|landingPageId|campaignName|costMicros|costCurrency)$/.test(
        path,
      ),
  ),
);
useKeys([
  { key: 'g', words: 'Go live', run: () => void goLive() },
  { key: 'c', words: 'Copy the tracking link', run: () => void copy.value?.copy() },
]);
</script>
<template>
  <PageHead
    title="Set up"
    says="Set up a whole campaign on one page. Paste the offer link; Tracheon fills in what it can."
  >
    <span class="quiet" role="status">{{ draftSays }}</span>
    <template v-if="isLive">
      <RouterLink class="button" :to="`/campaigns/${sheet.campaignId.value}`">Open campaign</RouterLink>
      <RouterLink class="button" to="/set-up">Set up another</RouterLink>
      <CopyButton ref="copy" main :text="tracking" label="Copy tracking link" key-name="C" />
    </template>
    <Button
      v-else-if="session.canEdit && sheet.state.value !== 'failed'"
      :disabled="sheet.goingLive.value"
      @click="goLive"
    >
      <Rocket :size="15" aria-hidden="true" /> Go live <kbd>G</kbd>
    </Button>
  </PageHead>
  <StateBlock
    v-if="sheet.state.value === 'failed'"
    class="sheet"
    state="failed"
    :words="sheet.failure.value"
    @again="sheet.load"
  />
  <StateBlock
    v-else-if="sheet.state.value === 'loading' || parts.state === 'loading'"
    class="sheet"
    state="loading"
  />
  <div v-else class="columns">
    <div class="steps">
      <p v-if="sheet.failure.value" class="sheet pad wrong" role="alert">
        <CircleAlert :size="16" aria-hidden="true" class="error" /> {{ sheet.failure.value }}
        <span v-for="[path, message] in leftOver" :key="path"> {{ path }}: {{ message }}</span>
      </p>
      <div v-if="sheet.collisions.value.length" class="sheet pad wrong" role="alert">
        <p v-for="c in sheet.collisions.value" :key="c.field">
          {{ c.by || 'Somebody' }} changed {{ fieldWords[c.field] ?? c.field }} to “{{
            nameOfValue(c.theirs)
          }}” while you were editing it.
        </p>
        <div class="row">
          <Button severity="secondary" @click="sheet.takeTheirs">Use their version</Button>
          <Button severity="secondary" @click="sheet.keepMine">Keep my version</Button>
        </div>
      </div>
      <p v-for="p in chain.archived.value" :key="p!.id" class="sheet pad wrong" role="alert">
        {{ p!.body.name }} has been archived. Choose another one, or
        <RouterLink :to="`/parts/${p!.kind}`">restore it</RouterLink>.
      </p>
      <div class="plain">
        <StepCard
          :n="1"
          title="Offer"
          :summary="summaries[0]!"
          :done="done[0]!"
          :open="isOpen(1)"
          :locked="!session.canEdit || isLive"
          @pick="current = 1"
        >
          <StepOffer
            v-model="body"
            :chain="chain"
            :errors="errors"
            @make="make"
            @template="template = $event"
          />
        </StepCard>
        <StepCard
          :n="2"
          title="Source"
          :summary="summaries[1]!"
          :done="done[1]!"
          :open="isOpen(2)"
          :locked="!session.canEdit || isLive"
          @pick="current = 2"
        >
          <StepSource
            v-model="body"
            :chain="chain"
            :errors="errors"
            @make="make"
            @template="template = $event"
          />
        </StepCard>
        <StepCard
          :n="3"
          title="Landing page"
          :summary="summaries[2]!"
          :done="done[2]!"
          :open="isOpen(3)"
          :locked="!session.canEdit || isLive"
          @pick="current = 3"
        >
          <StepPage v-model="body" :chain="chain" :errors="errors" @make="make" />
        </StepCard>
        <StepCard
          :n="4"
          title="Campaign"
          :summary="summaries[3]!"
          :done="done[3]!"
          :open="isOpen(4)"
          :locked="!session.canEdit || isLive"
          @pick="current = 4"
        >
          <StepCampaign v-model="body" :chain="chain" :errors="errors" />
        </StepCard>
      </div>
      <StepCard
        :n="5"
        title="Links"
        :summary="summaries[4]!"
        :done="done[4]!"
        :open="isOpen(5)"
        @pick="current = 5"
      >
        <StepLinks v-model="body" :chain="chain" :campaign="campaign" @handover="handingOver = true" />
      </StepCard>
      <SheetList v-if="!isLive && body.link === '' && body.offerId === ''" @copy="copyFrom" />
    </div>
    <aside class="beside" aria-label="Trail and checklist">
      <section v-if="isLive" class="sheet pad" aria-label="Test">
        <LiveChecklist :shown="shown" :country="body.country" />
      </section>
      <section class="sheet pad" aria-label="ID trail">
        <h2>ID trail</h2>
        <IdTrail
          :hops="isLive && shown.hops.value.length ? shown.hops.value : chain.hops.value"
          :ids="isLive ? shown.ids.value : chain.ids.value"
          upright
        />
      </section>
      <section v-if="!isLive" class="sheet pad" aria-label="Test">
        <h2>Live checklist</h2>
        <p class="quiet">
          When the campaign is live, each step turns on here as soon as Tracheon sees it: visit, button click,
          conversion, postback to the source. Test visits use the real links and don’t count in figures.
        </p>
      </section>
    </aside>
  </div>
  <component :is="forms[making]" v-if="making" v-model:open="makingOpen" @saved="made" />
  <NetworkForm
    v-if="handingOver && chain.network.value"
    v-model:open="handingOver"
    :part="chain.network.value"
  />
  <TemplateChoice v-if="template" v-model:open="templateOpen" :kind="template" @use="useTemplate" />
</template>
<style scoped>
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 330px;
  gap: 14px;
  align-items: start;
}
.steps,
.plain,
.beside {
  display: grid;
  gap: 10px;
  min-width: 0;
}
.plain {
  border: 0;
  margin: 0;
  padding: 0;
}
.beside {
  position: sticky;
  top: 16px;
  max-height: calc(100vh - 32px);
  overflow-y: auto;
}
.beside h2 {
  margin-bottom: 8px;
}
.wrong {
  border-color: var(--error);
  display: grid;
  gap: 6px;
}
@media (max-width: 980px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
  .beside {
    position: static;
    max-height: none;
  }
}
</style>
