<script setup lang="ts">
/** Further pairings of a page and an offer that visitors are split over by weight; branches are added once the campaign is live. */
import Button from 'primevue/button';
import { MAX_SHEET_PAIRINGS, type SheetBody, type SheetPairing } from '@tracheon/core/contract';
import { Plus, X } from '@lucide/vue';
import { computed } from 'vue';
import { useParts } from '../../app/parts.ts';
import { percent } from '../../ui/format.ts';
import NumberField from '../../ui/NumberField.vue';
import PickOne from '../../ui/PickOne.vue';
import type { Chain } from './useChain.ts';

const body = defineModel<SheetBody>({ required: true });
const props = defineProps<{ chain: Chain; error: string | undefined }>();
const parts = useParts();
const asOptions = (kind: 'landing-page' | 'offer', chosen: string) =>
  parts
    .of(kind, true)
    .filter((p) => p.state !== 'archived' || p.id === chosen)
    .map((p) => ({ value: p.id, label: p.body.name }));
const pages = (chosen: string) => [{ value: '', label: 'Direct link' }, ...asOptions('landing-page', chosen)];
const offers = (chosen: string) => [
  { value: '', label: `This offer (${props.chain.offer.value.name || 'not named yet'})` },
  ...asOptions('offer', chosen).filter((o) => o.value !== body.value.offerId),
];
const weights = computed(() => [body.value.weight, ...body.value.pairings.map((p) => p.weight)]);
const share = (i: number): string => {
  const sum = weights.value.reduce((all, w) => all + (w || 0), 0);
  return sum > 0 ? percent((weights.value[i] || 0) / sum, 0) : '–';
};
const letter = (i: number): string => String.fromCharCode(65 + i);
function change(i: number, next: Partial<SheetPairing>): void {
  body.value.pairings = body.value.pairings.map((p, at) => (at === i ? { ...p, ...next } : p));
}
function add(): void {
  const { landingPageId, pairings } = body.value;
  body.value.pairings = [...pairings, { landingPageId, offerId: '', weight: 1 }];
}
const remove = (i: number): void => {
  body.value.pairings = body.value.pairings.filter((_, at) => at !== i);
};
</script>
<template>
  <div v-if="body.pairings.length > 0" class="split" role="group" aria-label="Split">
    <div class="pairing">
      <span class="quiet">A</span>
      <span class="own">{{ chain.page.value?.body.name ?? 'Direct link' }}</span>
      <span class="own">{{ chain.offer.value.name || 'This offer' }}</span>
      <NumberField
        :model-value="body.weight"
        :min="0"
        :max="10000"
        aria-label="Weight of A"
        @update:model-value="(v) => (body.weight = v ?? 0)"
      />
      <span class="quiet figure">{{ share(0) }}</span>
    </div>
    <div v-for="(p, i) in body.pairings" :key="i" class="pairing">
      <span class="quiet">{{ letter(i + 1) }}</span>
      <PickOne
        :model-value="p.landingPageId"
        :aria-label="`Page of ${letter(i + 1)}`"
        :options="pages(p.landingPageId)"
        @update:model-value="(v) => change(i, { landingPageId: String(v) })"
      />
      <PickOne
        :model-value="p.offerId"
        :aria-label="`Offer of ${letter(i + 1)}`"
        :options="offers(p.offerId)"
        @update:model-value="(v) => change(i, { offerId: String(v) })"
      />
      <NumberField
        :model-value="p.weight"
        :min="0"
        :max="10000"
        :aria-label="`Weight of ${letter(i + 1)}`"
        @update:model-value="(v) => change(i, { weight: v ?? 0 })"
      />
      <span class="quiet figure">{{ share(i + 1) }}</span>
      <Button variant="link" :aria-label="`Remove pairing ${letter(i + 1)}`" @click="remove(i)"
        ><X :size="15"
      /></Button>
    </div>
  </div>
  <p v-if="error" class="error small">{{ error }}</p>
  <div class="row more">
    <Button v-if="body.pairings.length < MAX_SHEET_PAIRINGS" variant="link" class="small" @click="add"
      ><Plus :size="14" aria-hidden="true" /> Add pairing to split visitors</Button
    >
    <span class="quiet small">Add branches in the campaign’s routing after you go live.</span>
  </div>
</template>
<style scoped src="./steps.css"></style>
<style scoped>
.split {
  margin-top: 10px;
}
.pairing {
  display: grid;
  grid-template-columns: 20px minmax(0, 1fr) minmax(0, 1.2fr) 84px 40px 30px;
  gap: 8px;
  align-items: center;
  border-top: 1px solid var(--hairline);
  padding: 5px 0;
}
.own {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.figure {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
.more {
  flex-wrap: wrap;
  margin-top: 6px;
}
@media (max-width: 640px) {
  .pairing {
    grid-template-columns: 20px minmax(0, 1fr) 84px 30px;
  }
  .pairing > :nth-child(3) {
    grid-column: 2;
  }
}
</style>
