<script setup lang="ts">
/** The pairings of one branch with their weights as one bar. */
import Button from 'primevue/button';
import type { Pairing, Way } from '@tracheon/core/contract';
import type { RoutingFinding } from '@tracheon/core/routing';
import { Plus } from '@lucide/vue';
import { computed } from 'vue';
import { useSession } from '../../../app/session.ts';
import SegmentChoice from '../../../ui/SegmentChoice.vue';
import PairingRow from './PairingRow.vue';
import { latelyWords, useRecent } from './recent.ts';
import WeightBar from './WeightBar.vue';
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
const session = useSession();
const odds = useOdds();
const row = computed(() => odds.value.byWay.get(props.wayId));
const shares = computed(() => sharesByOdds(way.value, row.value));
function change(i: number, next: Partial<Pairing>): void {
  const pairings = way.value.pairings.map((p, at) => (at === i ? { ...p, ...next } : p));
  way.value = { ...way.value, pairings };
}
const isDraggable = computed(
  () =>
    session.canEdit &&
    way.value.split === 'weights' &&
    way.value.pairings.every((p) => Number.isInteger(p.weight) && p.weight >= 0),
);
/** One that is off keeps its weight for when it is on again. */
function setWeights(weights: number[]): void {
  const pairings = way.value.pairings.map((p, i) => (p.isOn ? { ...p, weight: weights[i]! } : p));
  way.value = { ...way.value, pairings };
}
const recent = useRecent();
/** Said of each that is drawn by odds, once something is known or could be. */
const oddsOf = (p: Pairing): string =>
  way.value.split === 'automatic' &&
  way.value.pairings.length > 1 &&
  p.isOn &&
  (row.value || odds.value.failure === '')
    ? oddsWords(row.value, p.id, session.desk.currency)
    : '';
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
</script>
<template>
  <div>
    <WeightBar
      :shares="shares"
      :letters="way.pairings.map((p) => letters(p.id))"
      :of="of"
      :weights="isDraggable ? way.pairings.map((p) => (p.isOn ? p.weight : 0)) : null"
      @change="setWeights"
    />
    <PairingRow
      v-for="(p, i) in way.pairings"
      :key="p.id"
      :model-value="p"
      :letter="letters(p.id)"
      :split="way.split"
      :share="shares[i]!"
      :odds="oddsOf(p)"
      :lately="latelyWords(recent.ways, wayId, p.id)"
      :is-only="way.pairings.length === 1"
      :findings="findings.filter((f) => f.pairingId === p.id)"
      :error="(path) => error(`pairings.${i}.${path}`)"
      @update:model-value="(next) => change(i, next)"
      @remove="remove(i)"
    />
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
.about {
  font-size: 12px;
  margin-top: 6px;
}
.under {
  margin-top: 6px;
}
</style>
