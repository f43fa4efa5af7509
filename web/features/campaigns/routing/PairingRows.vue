<script setup lang="ts">
/** The pairings of one branch with their weights as one bar: page, offer, weight, on or off. */
import Button from 'primevue/button';
import ToggleSwitch from 'primevue/toggleswitch';
import type { Pairing, Way } from '@tracheon/core/contract';
import type { RoutingFinding } from '@tracheon/core/routing';
import { CircleAlert, Plus, X } from '@lucide/vue';
import { computed } from 'vue';
import { useParts } from '../../../app/parts.ts';
import { useSession } from '../../../app/session.ts';
import { percent } from '../../../ui/format.ts';
import NumberField from '../../../ui/NumberField.vue';
import PickOne from '../../../ui/PickOne.vue';
import SegmentChoice from '../../../ui/SegmentChoice.vue';
import { oddsWords, sharesByOdds, splitWords, useOdds } from './odds.ts';

const props = defineProps<{
  /** Of the branch, in labels. */
  of: string;
  wayId: string;
  letters: (id: string) => string;
  newId: () => string;
  findings: readonly RoutingFinding[];
  error: (path: string) => string | undefined;
}>();
const way = defineModel<Way>({ required: true });
const parts = useParts();
const session = useSession();
const odds = useOdds();
const row = computed(() => odds.value.byWay.get(props.wayId));
const shares = computed(() => sharesByOdds(way.value, row.value));
const pages = computed(() => [
  { value: '', label: 'no page' },
  ...parts.of('landing-page').map((p) => ({ value: p.id, label: p.body.name })),
]);
const offers = computed(() => parts.of('offer').map((o) => ({ value: o.id, label: o.body.name })));
function change(i: number, next: Partial<Pairing>): void {
  const pairings = way.value.pairings.map((p, at) => (at === i ? { ...p, ...next } : p));
  way.value = { ...way.value, pairings };
}
/** What a piece of the bar has room for. */
const barLabel = (letter: string, share: number): string =>
  share >= 8 ? `${letter} ${percent(share / 100, 0)}` : share >= 3 ? letter : '';
const buttonsOf = (pageId: string): number => parts.one('landing-page', pageId)?.body.buttons ?? 1;
/** An offer for each of `count` buttons: those that are chosen, and the first one for the rest. */
const forButtons = (offerIds: readonly string[], count: number): string[] =>
  Array.from({ length: count }, (_, n) => offerIds[n] ?? offerIds[0] ?? '');
function choosePage(i: number, landingPageId: string): void {
  const { offerIds } = way.value.pairings[i]!;
  const count = offerIds.length > 1 ? buttonsOf(landingPageId) : 1;
  change(i, { landingPageId, offerIds: forButtons(offerIds, count) });
}
const chooseOffer = (i: number, n: number, offerId: string): void =>
  change(i, { offerIds: offersOf(way.value.pairings[i]!).map((id, at) => (at === n ? offerId : id)) });
function splitButtons(i: number): void {
  const { offerIds, landingPageId } = way.value.pairings[i]!;
  change(i, { offerIds: forButtons(offerIds, offerIds.length > 1 ? 1 : buttonsOf(landingPageId)) });
}
/** Without one, a campaign that is still empty names no offer: the field is there all the same. */
const offersOf = (p: Pairing): string[] => (p.offerIds.length === 0 ? [''] : p.offerIds);
const offerLabel = (p: Pairing, n: number): string =>
  `Offer of ${props.letters(p.id)}${p.offerIds.length > 1 ? `, button ${n + 1}` : ''}`;
function add(): void {
  const last = way.value.pairings.at(-1)!;
  const pairings = [...way.value.pairings, { ...last, id: props.newId(), isOn: true, from: '', to: '' }];
  way.value = { ...way.value, pairings };
}
const remove = (i: number): void => {
  way.value = { ...way.value, pairings: way.value.pairings.filter((_, at) => at !== i) };
};
const splits = [
  { value: 'weights' as const, label: 'By weight' },
  { value: 'even' as const, label: 'Even' },
  { value: 'automatic' as const, label: 'Automatic' },
];
const findingsOf = (id: string): RoutingFinding[] => props.findings.filter((f) => f.pairingId === id);
</script>
<template>
  <div>
    <div class="shares" role="img" :aria-label="`Shares of ${of}`">
      <span
        v-for="(p, i) in way.pairings"
        v-show="shares[i]! > 0"
        :key="p.id"
        :style="{ flexGrow: shares[i] }"
        class="share"
        >{{ barLabel(letters(p.id), shares[i]!) }}</span
      >
    </div>
    <div v-for="(p, i) in way.pairings" :key="p.id" class="pairing" :class="{ off: !p.isOn }">
      <span class="letter">{{ letters(p.id) }}</span>
      <PickOne
        class="page"
        :model-value="p.landingPageId"
        :aria-label="`Page of ${letters(p.id)}`"
        :options="pages"
        @update:model-value="(v) => choosePage(i, String(v))"
      />
      <div class="offer">
        <div v-for="(offerId, n) in offersOf(p)" :key="n" class="ofbutton">
          <span v-if="p.offerIds.length > 1" class="quiet number" aria-hidden="true">{{ n + 1 }}</span>
          <PickOne
            :model-value="offerId"
            :aria-label="offerLabel(p, n)"
            :options="offers"
            placeholder="Choose the offer"
            :invalid="error(`pairings.${i}.offerIds`) !== undefined"
            @update:model-value="(v) => chooseOffer(i, n, String(v))"
          />
        </div>
        <Button
          v-if="buttonsOf(p.landingPageId) > 1 || p.offerIds.length > 1"
          variant="link"
          class="switch"
          @click="splitButtons(i)"
          >{{
            p.offerIds.length > 1 ? 'Use one offer for all buttons' : 'Set an offer for each button'
          }}</Button
        >
      </div>
      <NumberField
        v-if="way.split === 'weights'"
        class="weight"
        :model-value="p.weight"
        :min="0"
        :max="10000"
        :aria-label="`Weight of ${letters(p.id)}`"
        :invalid="error(`pairings.${i}.weight`) !== undefined"
        @update:model-value="(v) => change(i, { weight: v ?? NaN })"
      />
      <span v-else class="weight figure">{{ percent(shares[i]! / 100, 0) }}</span>
      <label class="row on"
        ><ToggleSwitch
          :model-value="p.isOn"
          :aria-label="`${letters(p.id)} takes visitors`"
          @update:model-value="(v: boolean) => change(i, { isOn: v })"
        />
        <span class="quiet">{{ p.isOn ? 'on' : 'off' }}</span></label
      >
      <Button
        variant="link"
        class="remove"
        :aria-label="`Remove pairing ${letters(p.id)}`"
        :disabled="way.pairings.length === 1"
        @click="remove(i)"
        ><X :size="15"
      /></Button>
      <p v-if="error(`pairings.${i}.offerIds`) ?? error(`pairings.${i}.weight`)" class="error note">
        {{ error(`pairings.${i}.offerIds`) ?? error(`pairings.${i}.weight`) }}
      </p>
      <p
        v-if="way.split === 'automatic' && way.pairings.length > 1 && p.isOn && (row || odds.failure === '')"
        class="note quiet"
      >
        {{ oddsWords(row, p.id, session.desk.currency) }}
      </p>
      <p v-for="f in findingsOf(p.id)" :key="f.code" class="note row">
        <CircleAlert :size="14" aria-hidden="true" /> {{ f.sentence }}
      </p>
    </div>
    <p v-if="way.split === 'automatic' && way.pairings.length > 1" class="quiet about">
      {{
        odds.failure === ''
          ? splitWords(row)
          : `Tracheon could not load the newest shares. ${odds.failure}${row ? '' : ' The bar shows an even split.'}`
      }}
    </p>
    <div class="row spread under">
      <SegmentChoice
        v-if="way.pairings.length > 1"
        :model-value="way.split"
        :options="splits"
        :label="`Split of ${of}`"
        @update:model-value="(split) => (way = { ...way, split })"
      />
      <span v-else class="quiet">All visitors of this branch</span>
      <Button variant="link" :aria-label="`Add pairing to ${of}`" @click="add"
        ><Plus :size="14" aria-hidden="true" /> Add pairing</Button
      >
    </div>
  </div>
</template>
<style scoped>
.shares {
  display: flex;
  height: 22px;
  border: 1px solid var(--ink);
  border-radius: 3px;
  overflow: hidden;
  margin: 6px 0 8px;
}
.share {
  flex: 1 1 0;
  min-width: 0;
  overflow: hidden;
  white-space: nowrap;
  text-align: center;
  font-size: 12px;
  font-weight: 600;
  line-height: 20px;
}
.share:nth-child(odd) {
  background: var(--ground);
}
.share + .share {
  border-left: 1px solid var(--ink);
}
.pairing {
  display: grid;
  grid-template-columns: 20px minmax(120px, 1fr) minmax(140px, 1.4fr) 90px 76px 30px;
  gap: 8px;
  align-items: center;
  border-top: 1px solid var(--hairline);
  padding: 5px 0;
}
.off .letter {
  text-decoration: line-through;
}
.letter {
  font-size: 12px;
  color: var(--quiet);
}
.on {
  gap: 6px;
}
.note {
  grid-column: 2 / -1;
  font-size: 12px;
}
.about {
  font-size: 12px;
  margin-top: 6px;
}
.under {
  margin-top: 6px;
}
.page {
  grid-column: 2;
}
.offer {
  grid-column: 3;
}
.ofbutton {
  display: flex;
  align-items: center;
  gap: 6px;
}
.ofbutton + .ofbutton {
  margin-top: 4px;
}
.number {
  width: 1.2ch;
}
.ofbutton > :last-child {
  flex: 1;
  min-width: 0;
}
.switch {
  padding: 2px 0 0;
  font-size: 12px;
}

.figure {
  font-variant-numeric: tabular-nums;
}
.weight {
  grid-column: 4;
}
.on {
  grid-column: 5;
}
.remove {
  grid-column: 6;
}
@media (max-width: 700px) {
  .pairing {
    grid-template-columns: 20px 100px 1fr 30px;
  }
  .page {
    grid-column: 2 / 4;
  }
  .remove {
    grid-row: 1;
    grid-column: 4;
  }
  .offer {
    grid-row: 2;
    grid-column: 2 / -1;
  }
  .weight {
    grid-row: 3;
    grid-column: 2;
  }
  .on {
    grid-row: 3;
    grid-column: 3;
  }
}
</style>
