<script setup lang="ts">
/** The setup sheet: the whole chain on one page, with its trail and its live checklist beside it all the while. */
import Button from 'primevue/button';
import type { PartRecord, SheetField } from '@tracheon/core/contract';
import { Rocket } from '@lucide/vue';
import { useConfirm } from 'primevue/useconfirm';
import { computed, ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import { useRouterHere } from '../../shared/useRouterHere.ts';
import { useKeys } from '../../app/keys.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import CopyButton from '../../ui/CopyButton.vue';
import { adLink } from '@tracheon/core/links';
import { clock } from '../../ui/format.ts';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import IdTrail from '../../shared/trail/IdTrail.vue';
import LiveChecklist from '../../shared/trail/LiveChecklist.vue';
import { useCampaignLive } from '../../shared/trail/useCampaignLive.ts';
import PartMaker from './PartMaker.vue';
import SheetList from './SheetList.vue';
import SheetRemarks from './SheetRemarks.vue';
import StepCampaign from './StepCampaign.vue';
import StepCard from './StepCard.vue';
import StepLinks from './StepLinks.vue';
import StepOffer from './StepOffer.vue';
import StepPage from './StepPage.vue';
import StepSource from './StepSource.vue';
import { fromCampaign } from './fromCampaign.ts';
import { useChain } from './useChain.ts';
import type { MadeKind } from './madeKind.ts';
import { useSheet } from './useSheet.ts';
import { LINKS_STEP, useSteps } from './useSteps.ts';

const props = defineProps<{ start: string }>();
const emit = defineEmits<{ begun: [id: string] }>();
const route = useRoute();
const router = useRouterHere();
const parts = useParts();
const session = useSession();
const id = ref(props.start);
const sheet = useSheet(id, (begun) => {
  id.value = begun;
  emit('begun', begun);
  router.replace(`/set-up/${begun}`);
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
    ? adLink(session.me?.trackingOrigin ?? '', campaign.value, chain.source.value.body, (id) =>
        parts.one('landing-page', id),
      )
    : '',
);
const copy = ref<InstanceType<typeof CopyButton> | null>(null);

const { current, done, isOpen, summaries } = useSteps(body, chain, campaign, shown);

const maker = ref<InstanceType<typeof PartMaker> | null>(null);
const make = (kind: MadeKind, from: object): void => maker.value?.make(kind, from);
const fields: Record<string, SheetField> = {
  network: 'networkId',
  source: 'sourceId',
  'landing-page': 'landingPageId',
};
function made(record: PartRecord): void {
  const field = fields[record.kind];
  if (field) (body as Record<string, unknown>)[field] = record.id;
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
    current.value = LINKS_STEP;
    await shown.load();
  }
}
const confirm = useConfirm();
/** A key is pressed by mistake more easily than a button. */
function askGoLive(): void {
  if (!session.canEdit || isLive.value) return;
  confirm.require({
    header: 'Go live?',
    message: 'Tracheon creates the campaign. Its tracking link works at once.',
    acceptLabel: 'Go live',
    rejectLabel: 'Cancel',
    accept: () => void goLive(),
  });
}
const draftSays = computed(() => {
  if (isLive.value) return campaign.value?.state === 'live' ? 'Live' : (campaign.value?.state ?? '');
  const also = sheet.others.value.length > 0 ? ` · ${sheet.others.value.join(', ')} also editing` : '';
  if (sheet.saving.value) return `Saving draft …${also}`;
  return sheet.keptAt.value
    ? `Draft saved ${clock(sheet.keptAt.value, session.desk.zone).slice(0, 5)}${also}`
    : '';
});
useKeys([
  { key: 'g', words: 'Go live', run: askGoLive },
  { key: 'c', words: 'Copy the tracking link', run: () => void copy.value?.copy() },
]);
</script>
<template>
  <PageHead
    title="Set up"
    says="Set up a whole campaign on one page. Paste the offer link; Tracheon fills in what it can."
  >
    <span class="quiet says" role="status">{{ draftSays }}</span>
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
      <SheetRemarks :sheet="sheet" :archived="chain.archived.value" />
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
            @template="maker?.chooseTemplate($event)"
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
            @template="maker?.chooseTemplate($event)"
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
        <StepLinks v-model="body" :chain="chain" :campaign="campaign" @handover="maker?.handOver()" />
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
  <PartMaker
    ref="maker"
    :sheet-id="id"
    :host="chain.pasted.value.host"
    :network="chain.network.value"
    @made="made"
  />
</template>
<style scoped>
/* It is there before it says anything, so that what it says is read out. */
.says:empty {
  position: absolute;
}
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
  /* Wide tables scroll inside. */
  grid-template-columns: minmax(0, 1fr);
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
