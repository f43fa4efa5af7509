<script setup lang="ts">
/** Where a campaign's visitors go: branches from top to bottom, each with its conditions and its split, then all the rest. */
import Button from 'primevue/button';
import {
  campaignInput,
  leavesOf,
  type Branch,
  type PartRecord,
  type Routing,
  type Way,
} from '@tracheon/core/contract';
import {
  asRouting,
  conditionWords,
  OTHERWISE,
  routingFindings,
  type RoutingFinding,
} from '@tracheon/core/routing';
import { isOurs } from '@tracheon/core/links';
import { CircleAlert, Plus } from '@lucide/vue';
import Sortable from 'sortablejs';
import { computed, defineAsyncComponent, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { useRouterHere } from '../../../shared/useRouterHere.ts';
import { useKeys } from '../../../app/keys.ts';
import { useParts } from '../../../app/parts.ts';
import { useSession } from '../../../app/session.ts';
import PartHistory from '../../../shared/PartHistory.vue';
import FormFoot from '../../../shared/FormFoot.vue';
import { useDraftForm } from '../../../shared/useDraftForm.ts';
import { countryName } from '../../../ui/format.ts';
import FieldGroup from '../../../ui/FieldGroup.vue';
import PageHead from '../../../ui/PageHead.vue';
import BranchBlock from './BranchBlock.vue';
import FlowSection from './FlowSection.vue';
import { newLeaf } from './editedCondition.ts';
import { provideOdds } from './odds.ts';
import { branchLatelyWords, provideRecent } from './recent.ts';
import PairingRows from './PairingRows.vue';
import SharedRouting from './SharedRouting.vue';

/** Conditions are evaluated by what is of use nowhere else on the screens. */
const RehearsalPanel = defineAsyncComponent(() => import('./RehearsalPanel.vue'));

const props = defineProps<{ part: PartRecord<'campaign'> }>();
const emit = defineEmits<{ again: [] }>();
const parts = useParts();
const session = useSession();
const router = useRouterHere();
/** A campaign with one offer is shown as what it is: *otherwise* with one pairing. */
const routed = (body: PartRecord<'campaign'>['body']): PartRecord<'campaign'>['body'] => ({
  ...body,
  routing: asRouting(body),
});
const form = useDraftForm(campaignInput, routed(props.part.body), `routing.${props.part.id}`, {
  version: props.part.version,
  body: routed(props.part.body),
});
const { body, error } = form;
// When a member takes the other member's version, that may be a campaign with one offer.
watch(
  () => body.routing,
  (now) => {
    if (now === null) body.routing = asRouting(body);
  },
);
const routing = computed<Routing>(() => body.routing ?? asRouting(body));
const at = (path: string) => (inner: string) => error(`routing.${path}.${inner}`);

const subs = computed(() => [
  ...new Set(
    (parts.one('source', props.part.body.sourceId)?.body.parameters ?? [])
      .filter((p) => p.role === 'sub')
      .map((p) => p.sub),
  ),
]);
const nameOf = (field: string, value: string): string =>
  field === 'country' ? countryName(value) : (parts.byId.get(value)?.body.name ?? value);
const leadsBack = (id: string): boolean => {
  const link = parts.one('offer', id)?.body.link ?? parts.one('landing-page', id)?.body.url ?? '';
  return isOurs(link, session.me?.trackingOrigins ?? []);
};
const findings = computed(() =>
  routingFindings(routing.value, {
    countriesOf: (offerId) => parts.one('offer', offerId)?.body.countries ?? [],
    eventTypesOf: (offerId) =>
      (parts.one('offer', offerId)?.body.payouts ?? []).map((p) => p.eventTypeId).filter((id) => id !== ''),
    leadsBack,
    subs: subs.value,
    buttonsOf: (pageId) => parts.one('landing-page', pageId)?.body.buttons ?? 1,
  }),
);
provideOdds(props.part.id);
const recent = provideRecent(props.part.id);
const findingsOf = (branchId: string): RoutingFinding[] =>
  findings.value.filter((f) => f.branchId === branchId);

/** IDs that no pairing and no branch of this campaign has or had here. */
const newId = (): string => {
  const taken = JSON.stringify(routing.value);
  for (;;) {
    const id = crypto.randomUUID().slice(0, 8);
    if (!taken.includes(id)) return id;
  }
};
const letterOf = computed(() => {
  const all = [...routing.value.branches, routing.value.otherwise].flatMap((way) => way.pairings);
  return new Map(all.map((p, i) => [p.id, letters(i)]));
});
/** A to Z, then AA, AB … */
const letters = (i: number): string =>
  (i >= 26 ? String.fromCharCode(64 + Math.floor(i / 26)) : '') + String.fromCharCode(65 + (i % 26));

const opened = ref('');
const historyOpen = ref(false);
/** An older version is the newest now: the editor begins again with it. */
function beginAgain(): void {
  form.discard();
  emit('again');
}
function addBranch(): void {
  const id = newId();
  const like = routing.value.otherwise.pairings[0]!;
  const branch: Branch = {
    id,
    name: `Branch ${routing.value.branches.length + 1}`,
    when: { all: [newLeaf(subs.value[0] ? `sub_${subs.value[0]}` : 'country')] },
    split: 'weights',
    pairings: [{ ...like, id: newId(), weight: 1, isOn: true, from: '', to: '' }],
  };
  body.routing = { ...routing.value, branches: [...routing.value.branches, branch] };
  opened.value = id;
}
function setBranch(i: number, next: Branch): void {
  const branches = routing.value.branches.map((b, n) => (n === i ? next : b));
  body.routing = { ...routing.value, branches };
}
function move(i: number, to: number): void {
  const branches = [...routing.value.branches];
  const [one] = branches.splice(i, 1);
  branches.splice(to, 0, one!);
  body.routing = { ...routing.value, branches };
}
const list = ref<HTMLElement | null>(null);
let sortable: Sortable | null = null;
onMounted(() => {
  if (!list.value || !session.canEdit) return;
  sortable = Sortable.create(list.value, {
    handle: '.grip',
    animation: window.matchMedia('(prefers-reduced-motion: reduce)').matches ? 0 : 120,
    onEnd: ({ item, oldIndex, newIndex }) => {
      if (oldIndex === undefined || newIndex === undefined || oldIndex === newIndex) return;
      // The list draws itself from the routing: the element goes back to where it was before.
      item.remove();
      list.value!.insertBefore(item, list.value!.children[oldIndex] ?? null);
      move(oldIndex, newIndex);
    },
  });
});
onBeforeUnmount(() => sortable?.destroy());
const remove = (i: number): void => {
  body.routing = { ...routing.value, branches: routing.value.branches.filter((_, n) => n !== i) };
};
const setOtherwise = (otherwise: Way): void => {
  body.routing = { ...routing.value, otherwise };
};
const isTried = ref(false);
async function publish(): Promise<void> {
  isTried.value = true;
  // What is marked must be in sight.
  const wrong = routing.value.branches.find((b) => leavesOf(b.when).some((l) => l.values.length === 0));
  if (wrong) opened.value = wrong.id;
  const done = await form.save((value, version) => parts.update(props.part, value, version));
  if (done) router.push(`/campaigns/${props.part.id}`);
}
useKeys([
  { key: 'b', words: 'Add a branch', run: () => session.canEdit && addBranch() },
  { key: 'p', words: 'Publish the routing', run: () => session.canEdit && void publish() },
]);
</script>
<template>
  <PageHead
    :title="part.body.name"
    says="Routing: where each visitor goes. The first branch that matches wins."
  >
    <Button severity="secondary" @click="historyOpen = true">History</Button>
    <RouterLink class="button" :to="`/campaigns/${part.id}`">Back to campaign</RouterLink>
  </PageHead>
  <form class="beside" @submit.prevent="publish">
    <FieldGroup :disabled="!session.canEdit" class="stack ways">
      <SharedRouting :model-value="body" :part="part" :is-dirty="form.isDraft.value" @shared="beginAgain" />
      <div ref="list" class="stack">
        <BranchBlock
          v-for="(b, i) in routing.branches"
          :key="b.id"
          :branch="b"
          :number="i + 1"
          :is-last="i === routing.branches.length - 1"
          :is-open="opened === b.id"
          :can-drag="session.canEdit && routing.branches.length > 1"
          :lately="branchLatelyWords(recent.ways, b.id)"
          :words="conditionWords(b.when, nameOf)"
          :subs="subs"
          :is-tried="isTried"
          :letters="(id) => letterOf.get(id) ?? ''"
          :new-id="newId"
          :findings="findingsOf(b.id)"
          :error="at(`branches.${i}`)"
          @toggle="opened = opened === b.id ? '' : b.id"
          @change="(next) => setBranch(i, next)"
          @up="move(i, i - 1)"
          @down="move(i, i + 1)"
          @remove="remove(i)"
        />
      </div>
      <Button v-if="session.canEdit" severity="secondary" class="add" @click="addBranch"
        ><Plus :size="15" aria-hidden="true" /> Add branch <kbd>B</kbd></Button
      >
      <section class="sheet pad" aria-label="Otherwise">
        <div class="row spread">
          <h2>Otherwise</h2>
          <span class="quiet">{{
            [
              routing.branches.length === 0 ? 'all visitors' : 'visitors whom no branch takes',
              routing.branches.length === 0 ? '' : branchLatelyWords(recent.ways, OTHERWISE),
            ]
              .filter(Boolean)
              .join(', ')
          }}</span>
        </div>
        <PairingRows
          :model-value="routing.otherwise"
          of="otherwise"
          :way-id="OTHERWISE"
          :letters="(id) => letterOf.get(id) ?? ''"
          :new-id="newId"
          :findings="findingsOf('')"
          :error="at('otherwise')"
          @update:model-value="setOtherwise"
        />
        <p
          v-for="f in findingsOf('').filter((f) => f.pairingId === '')"
          :key="f.code"
          class="row error"
          role="note"
        >
          <CircleAlert :size="15" aria-hidden="true" /> {{ f.sentence }}
        </p>
      </section>
    </FieldGroup>
    <div class="aside">
      <RehearsalPanel
        :part="part"
        :is-dirty="form.isDraft.value"
        :routing="routing"
        :zone="session.desk.zone"
        :letters="(id) => letterOf.get(id) ?? ''"
        :name-of="nameOf"
      />
    </div>
    <FlowSection class="about" :part="part" :routing="routing" :letters="(id) => letterOf.get(id) ?? ''" />
    <p class="quiet about">
      A returning visitor keeps the pairing. If no offer of a branch takes visitors, they go to the fallback
      of the offer that was drawn, then of the campaign, then of the desk.
    </p>
    <div v-if="session.canEdit" class="end"><FormFoot :form="form" label="Publish" /></div>
  </form>
  <PartHistory v-if="historyOpen" v-model:open="historyOpen" :part="part" @restored="beginAgain" />
</template>
<style scoped>
.add {
  align-self: start;
  justify-self: start;
}
.ways {
  border: 0;
  padding: 0;
  margin: 0;
  min-width: 0;
}
.beside {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 12px;
  align-items: start;
}
@media (min-width: 1180px) {
  .beside {
    grid-template-columns: minmax(0, 1.55fr) minmax(0, 1fr);
  }
  .about,
  .end {
    grid-column: 1 / -1;
  }
}
/* As high as the editor, so that what sticks in it stays beside the editor. */
.aside {
  align-self: stretch;
}
.end {
  position: sticky;
  bottom: 0;
}
.end :deep(.foot) {
  position: static;
  background: var(--ground);
}
</style>
