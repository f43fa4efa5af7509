<script setup lang="ts">
/** Takes one described visitor through the routing in the editor: which branch takes it and why, and where each link leads. */
import Button from 'primevue/button';
import {
  leavesOf,
  type Pairing,
  type PartRecord,
  type Routing,
  type TestVisitor,
} from '@tracheon/core/contract';
import { rehearse } from '@tracheon/core/conditions';
import { branchesOf, conditionWords, OTHERWISE, type ValueName } from '@tracheon/core/routing';
import { conditionField, SEEN_OFFER } from '@tracheon/core/visits';
import { computed, reactive, ref } from 'vue';
import { ask } from '../../../app/api.ts';
import { useParts } from '../../../app/parts.ts';
import { useSession } from '../../../app/session.ts';
import { percent } from '../../../ui/format.ts';
import FormField from '../../../ui/FormField.vue';
import InputText from 'primevue/inputtext';
import { CircleAlert } from '@lucide/vue';
import PickOne from '../../../ui/PickOne.vue';
import { allCountries } from '../../../ui/countries.ts';
import { flagChoicesOf, hourChoices, weekdayChoices } from './editedCondition.ts';
import { fieldsAsked, sampleVisit, visitorOf, type Described } from './describedVisitor.ts';
import FollowBlock from './FollowBlock.vue';
import { sharesByOdds, useOdds } from './odds.ts';
import { useRecent } from './recent.ts';
import RehearsedLinks from './RehearsedLinks.vue';
import { closedBecause, linksOf, postbacksOf, type WayParts } from './rehearsedWay.ts';

const props = defineProps<{
  part: PartRecord<'campaign'>;
  routing: Routing;
  zone: string;
  letters: (id: string) => string;
  nameOf: ValueName;
  isDirty: boolean;
}>();
const odds = useOdds();
const recent = useRecent();
const parts = useParts();
const session = useSession();
const described = reactive<Described>({});
const source = computed(() => parts.one('source', props.part.body.sourceId));
const subs = computed(() => [
  ...new Set(
    (source.value?.body.parameters ?? []).filter((p) => p.role === 'sub').map((p) => `sub_${p.sub}`),
  ),
]);
/** What the branches ask for, then what the links take. */
const fields = computed(() => [...new Set([...fieldsAsked(props.routing), 'country', ...subs.value])]);
/** The rehearsal's hour and weekday are those of the moment at which it was opened, where none is chosen. */
const openedMs = Date.now();
const visitor = computed(() => visitorOf(described, openedMs, props.zone, props.part.body.sourceId));
const result = computed(() => rehearse(props.routing, visitor.value, props.zone));
const taken = computed(() =>
  result.value.number === 0 ? props.routing.otherwise : props.routing.branches[result.value.number - 1]!,
);
const wayId = computed(() =>
  result.value.number === 0 ? OTHERWISE : props.routing.branches[result.value.number - 1]!.id,
);
const shares = computed(() => sharesByOdds(taken.value, odds.value.byWay.get(wayId.value)));
/** Pairings that can be drawn now. */
const drawn = computed(() =>
  taken.value.pairings.flatMap((pairing, i) => {
    const isNow =
      (pairing.from === '' || openedMs >= Date.parse(pairing.from)) &&
      (pairing.to === '' || openedMs < Date.parse(pairing.to));
    return shares.value[i]! > 0 && isNow ? [{ pairing, share: shares.value[i]! }] : [];
  }),
);
const total = computed(() => drawn.value.reduce((sum, d) => sum + d.share, 0));
const goesTo = computed(
  () =>
    drawn.value
      .map(({ pairing, share }) => `${props.letters(pairing.id)} ${percent(share / total.value, 0)}`)
      .join(', ') || 'the fallback, since no pairing is on',
);
const capped = computed(() => new Set(recent.value.ways?.cappedOfferIds));
/** Of each offer of the pairing that takes no visitors now, why. */
const closedOf = (pairing: Pairing): string[] =>
  pairing.offerIds.flatMap((id) => {
    const offer = parts.one('offer', id);
    const why = offer && closedBecause(offer.body, capped.value.has(id), openedMs, props.zone);
    return why ? [`${offer.body.name} ${why}.`] : [];
  });
const wayParts = computed((): WayParts => {
  const branches = branchesOf({ offerId: '', landingPageId: '', routing: props.routing });
  return {
    campaign: props.part,
    source: source.value,
    pageOf: (id) => parts.one('landing-page', id),
    offerOf: (id) => parts.one('offer', id),
    networkOf: (id) => parts.one('network', id),
    branchName: (id) => branches.find((b) => b.id === id)?.name ?? id,
    origin: session.me?.trackingOrigin ?? '',
  };
});
const visitOf = (pairing: Pairing) =>
  sampleVisit(visitor.value, {
    branchId: wayId.value,
    pairingId: pairing.id,
    landingId: pairing.landingPageId,
    offerId: pairing.offerIds[0] ?? '',
  });
const eventWord = computed(() => parts.of('event-type')[0]?.body.word ?? '');
/** The nearest that a test visit can be: its country, its kind of device, its sub-IDs. */
const testVisitor = computed((): TestVisitor => {
  const { country, device, os } = visitor.value.visit;
  const values: Record<string, string> = {};
  for (const p of source.value?.body.parameters ?? []) {
    const value = p.role === 'sub' ? (described[`sub_${p.sub}`] ?? '') : '';
    if (value !== '') values[p.parameter] = value;
  }
  const phone = /ios/i.test(os) ? 'iphone' : 'phone';
  return { country, device: device === 'desktop' || device === 'tablet' ? device : phone, values };
});

/** Real visitors one after the other, newest first. */
const taking = ref(false);
const real = ref<Described[]>([]);
const noneReal = ref(false);
const takeFailure = ref('');
async function takeReal(): Promise<void> {
  if (taking.value) return;
  taking.value = true;
  takeFailure.value = '';
  try {
    if (real.value.length === 0) {
      const mix = await ask('recentMix', { id: props.part.id, query: { fields: fields.value.join(',') } });
      const some = mix.at.slice(0, 50);
      real.value = some.map((_, row) =>
        Object.fromEntries(mix.columns.map((c) => [c.field, c.values[c.rows[row]!]!])),
      );
      noneReal.value = real.value.length === 0;
    }
    const next = real.value.shift();
    if (next) Object.assign(described, next);
  } catch (error) {
    takeFailure.value = (error as Error).message;
  } finally {
    taking.value = false;
  }
}
const labelOf = (name: string): string => {
  const field = conditionField(name);
  return field?.name.startsWith('sub_') ? `Sub-ID ${field.label}` : (field?.label ?? name);
};
const countries = [
  { value: '', label: 'unknown' },
  ...allCountries.map((c) => ({ value: c.code, label: c.name })),
];
const choices: Record<string, { value: string; label: string }[]> = {
  country: countries,
  hour: [...hourChoices],
  weekday: [...weekdayChoices],
};
/** Those that a branch asks for; a visitor that has seen none of them is like one without a cookie. */
const offers = computed(() => {
  const asked = props.routing.branches.flatMap((b) => leavesOf(b.when)).filter((l) => l.on === SEEN_OFFER);
  const ids = [...new Set(asked.flatMap((l) => l.values))];
  return [
    { value: '', label: 'none of these' },
    ...ids.map((id) => ({ value: id, label: props.nameOf(SEEN_OFFER, id) })),
  ];
});
function choicesOf(name: string): { value: string; label: string }[] | null {
  if (name === SEEN_OFFER) return offers.value;
  return conditionField(name)?.kind === 'flag' ? flagChoicesOf(name) : (choices[name] ?? null);
}
const MARKS = { matches: '✓', 'doesn’t match': '✗', 'not asked': '–' };
</script>
<template>
  <div class="stack">
    <div class="row">
      <Button severity="secondary" :disabled="taking" @click="takeReal">Use a recent visitor</Button>
      <span class="quiet">{{
        noneReal
          ? 'This campaign had no visitors in the last 7 days.'
          : 'Or describe one. Nothing is sent or counted.'
      }}</span>
    </div>
    <p v-if="takeFailure" class="row error" role="alert">
      <CircleAlert :size="14" aria-hidden="true" /> {{ takeFailure }}
    </p>
    <div class="fields">
      <FormField v-for="name in fields" :key="name" v-slot="{ id }" :label="labelOf(name)">
        <PickOne
          v-if="choicesOf(name)"
          :id="id"
          v-model="described[name]"
          :options="choicesOf(name)!"
          placeholder="unknown"
        />
        <InputText v-else :id="id" v-model="described[name]" placeholder="unknown" />
      </FormField>
    </div>
    <ol v-if="result.branches.length > 0" class="steps" aria-label="Branches asked">
      <li
        v-for="(branch, i) in result.branches"
        :key="branch.branchId"
        :class="{ quiet: branch.answer === 'not asked' }"
      >
        <span aria-hidden="true">{{ MARKS[branch.answer] }}</span> Branch {{ i + 1 }} {{ branch.answer }}
        <ul v-if="branch.parts.length > 0">
          <li v-for="(asked, n) in branch.parts" :key="n" class="quiet">
            {{ asked.holds ? '✓' : '✗' }} {{ conditionWords(asked.condition, nameOf) }}
          </li>
        </ul>
      </li>
    </ol>
    <p role="status" class="goes">
      <strong>{{ result.number === 0 ? 'Otherwise' : `Branch ${result.number}` }} takes this visitor:</strong>
      {{ goesTo }}
    </p>
    <section
      v-for="{ pairing, share } in drawn"
      :key="pairing.id"
      :aria-label="`Links of ${letters(pairing.id)}`"
    >
      <h3>Pairing {{ letters(pairing.id) }} <span class="quiet">{{ percent(share / total, 0) }}</span></h3>
      <p v-for="why in closedOf(pairing)" :key="why" class="row">
        <CircleAlert :size="14" aria-hidden="true" /> {{ why }}
      </p>
      <RehearsedLinks :links="linksOf(wayParts, pairing, visitOf(pairing))" />
      <h4 class="quiet">Postbacks of a conversion</h4>
      <RehearsedLinks :links="postbacksOf(wayParts, pairing, visitOf(pairing), eventWord)" />
    </section>
    <FollowBlock v-if="session.canEdit" :campaign-id="part.id" :visitor="testVisitor" :is-dirty="isDirty" />
  </div>
</template>
<style scoped>
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(130px, 1fr));
  gap: 4px 12px;
}
.steps {
  list-style: none;
  padding: 0;
  margin: 6px 0;
}
.steps > li {
  border-top: 1px solid var(--hairline);
  padding: 5px 0;
}
.steps ul {
  list-style: none;
  padding-left: 18px;
}
.goes {
  margin: 0;
}
h3,
h4 {
  margin: 0;
}
h4 {
  font-size: 12px;
  font-weight: 500;
  margin: 0;
}
</style>
