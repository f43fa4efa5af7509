<script setup lang="ts">
/** One pairing: page, offer or one for each button, weight, on or off, and when it takes visitors. */
import Button from 'primevue/button';
import ToggleSwitch from 'primevue/toggleswitch';
import type { Pairing, Way } from '@tracheon/core/contract';
import type { RoutingFinding } from '@tracheon/core/routing';
import { CircleAlert, Clock, X } from '@lucide/vue';
import { computed, ref } from 'vue';
import { useParts } from '../../../app/parts.ts';
import { useSession } from '../../../app/session.ts';
import { percent } from '../../../ui/format.ts';
import MomentField from '../../../ui/MomentField.vue';
import NumberField from '../../../ui/NumberField.vue';
import PickOne from '../../../ui/PickOne.vue';

const props = defineProps<{
  letter: string;
  split: Way['split'];
  /** In percent. */
  share: number;
  /** Why it is drawn so often; empty: no automatic split. */
  odds: string;
  /** What the last 7 days brought; empty: nothing is known. */
  lately: string;
  isOnly: boolean;
  findings: readonly RoutingFinding[];
  error: (path: string) => string | undefined;
}>();
const pairing = defineModel<Pairing>({ required: true });
const emit = defineEmits<{ remove: [] }>();
const parts = useParts();
const session = useSession();
const pages = computed(() => [
  { value: '', label: 'no page' },
  ...parts.of('landing-page').map((p) => ({ value: p.id, label: p.body.name })),
]);
const offers = computed(() => parts.of('offer').map((o) => ({ value: o.id, label: o.body.name })));
const change = (next: Partial<Pairing>): void => {
  pairing.value = { ...pairing.value, ...next };
};
const buttonsOf = (pageId: string): number => parts.one('landing-page', pageId)?.body.buttons ?? 1;
/** An offer for each of `count` buttons: those that are chosen, and the first one for the rest. */
const forButtons = (ids: readonly string[], count: number): string[] =>
  Array.from({ length: count }, (_, n) => ids[n] ?? ids[0] ?? '');
function choosePage(landingPageId: string): void {
  const { offerIds: ids } = pairing.value;
  const count = ids.length > 1 ? buttonsOf(landingPageId) : 1;
  change({ landingPageId, offerIds: forButtons(ids, count) });
}
/** Without one, a campaign that is still empty names no offer: the field is there all the same. */
const offerIds = computed(() => (pairing.value.offerIds.length === 0 ? [''] : pairing.value.offerIds));
const chooseOffer = (n: number, offerId: string): void =>
  change({ offerIds: offerIds.value.map((id, at) => (at === n ? offerId : id)) });
function splitButtons(): void {
  const { offerIds: ids, landingPageId } = pairing.value;
  change({ offerIds: forButtons(ids, ids.length > 1 ? 1 : buttonsOf(landingPageId)) });
}
const offerLabel = (n: number): string =>
  `Offer of ${props.letter}${pairing.value.offerIds.length > 1 ? `, button ${n + 1}` : ''}`;
const opened = ref(false);
const isTimed = computed(() => opened.value || pairing.value.from !== '' || pairing.value.to !== '');
</script>
<template>
  <div class="pairing" :class="{ off: !pairing.isOn }">
    <span class="letter">{{ letter }}</span>
    <PickOne
      class="page"
      :model-value="pairing.landingPageId"
      :aria-label="`Page of ${letter}`"
      :options="pages"
      @update:model-value="(v) => choosePage(String(v))"
    />
    <div class="offer">
      <div v-for="(offerId, n) in offerIds" :key="n" class="ofbutton">
        <span v-if="pairing.offerIds.length > 1" class="quiet number" aria-hidden="true">{{ n + 1 }}</span>
        <PickOne
          :model-value="offerId"
          :aria-label="offerLabel(n)"
          :options="offers"
          placeholder="Choose the offer"
          :invalid="error('offerIds') !== undefined"
          @update:model-value="(v) => chooseOffer(n, String(v))"
        />
      </div>
      <Button
        v-if="buttonsOf(pairing.landingPageId) > 1 || pairing.offerIds.length > 1"
        variant="link"
        class="switch"
        @click="splitButtons()"
        >{{
          pairing.offerIds.length > 1 ? 'Use one offer for all buttons' : 'Set an offer for each button'
        }}</Button
      >
    </div>
    <NumberField
      v-if="split === 'weights'"
      class="weight"
      :model-value="pairing.weight"
      :min="0"
      :max="10000"
      :aria-label="`Weight of ${letter}`"
      :invalid="error('weight') !== undefined"
      @update:model-value="(v) => change({ weight: v ?? NaN })"
    />
    <span v-else class="weight figure">{{ percent(share / 100, 0) }}</span>
    <label class="row on"
      ><ToggleSwitch
        :model-value="pairing.isOn"
        :aria-label="`${letter} takes visitors`"
        @update:model-value="(v: boolean) => change({ isOn: v })"
      />
      <span class="quiet">{{ pairing.isOn ? 'on' : 'off' }}</span></label
    >
    <Button
      v-if="!isTimed"
      variant="link"
      class="clock"
      :aria-label="`Set when ${letter} takes visitors`"
      @click="opened = true"
      ><Clock :size="15"
    /></Button>
    <Button
      variant="link"
      class="remove"
      :aria-label="`Remove pairing ${letter}`"
      :disabled="isOnly"
      @click="emit('remove')"
      ><X :size="15"
    /></Button>
    <p v-if="error('offerIds') ?? error('weight') ?? error('to')" class="error note">
      {{ error('offerIds') ?? error('weight') ?? error('to') }}
    </p>
    <p v-if="lately !== ''" class="note quiet">{{ lately }}</p>
    <p v-if="odds !== ''" class="note quiet">{{ odds }}</p>
    <div v-if="isTimed" class="note row times">
      <span>takes visitors from</span>
      <MomentField
        :model-value="pairing.from"
        :zone="session.desk.zone"
        :label="`${letter} takes visitors from`"
        :invalid="error('from') !== undefined"
        @update:model-value="(from) => change({ from })"
      />
      <span>to</span>
      <MomentField
        :model-value="pairing.to"
        :zone="session.desk.zone"
        :label="`${letter} takes visitors to`"
        :invalid="error('to') !== undefined"
        @update:model-value="(to) => change({ to })"
      />
      <span class="quiet">{{ session.desk.zone }}. Empty means always.</span>
    </div>
    <p v-for="f in findings" :key="f.code" class="note row">
      <CircleAlert :size="14" aria-hidden="true" /> {{ f.sentence }}
    </p>
  </div>
</template>
<style scoped>
.pairing {
  display: grid;
  grid-template-columns: 20px minmax(120px, 1fr) minmax(140px, 1.4fr) 90px 76px 30px 30px;
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
.clock {
  grid-column: 6;
}
.remove {
  grid-column: 7;
}
.times {
  flex-wrap: wrap;
  gap: 6px;
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
  .clock {
    grid-row: 3;
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
