<script setup lang="ts">
/** Step 3: a landing page, or none; and what else visitors are split over. */
import Button from 'primevue/button';
import type { PartRecord, SheetBody } from '@tracheon/core/contract';
import { Plus } from '@lucide/vue';
import { computed } from 'vue';
import { useParts } from '../../app/parts.ts';
import SplitRows from './SplitRows.vue';
import StepLacks from './StepLacks.vue';
import type { Chain } from './useChain.ts';

const body = defineModel<SheetBody>({ required: true });
const props = defineProps<{ chain: Chain; errors: Record<string, string> }>();
defineEmits<{ make: [kind: 'landing-page', body: object] }>();
const parts = useParts();
/** Those for this country, those for any, and the one that is chosen; the others stand behind them. */
const pages = computed(() => {
  const fits = (p: PartRecord<'landing-page'>): boolean =>
    body.value.country === '' ||
    p.body.countries.length === 0 ||
    p.body.countries.includes(body.value.country);
  const all = parts.of('landing-page');
  const chosen = props.chain.page.value;
  const shown = [...all.filter(fits), ...all.filter((p) => !fits(p))];
  return chosen && !shown.includes(chosen) ? [chosen, ...shown] : shown;
});
const buttons = (n: number): string => (n === 1 ? '1 button' : `${n} buttons`);
</script>
<template>
  <div class="choices" role="group" aria-label="Landing page">
    <Button
      severity="secondary"
      class="choice"
      :aria-pressed="body.landingPageId === ''"
      @click="body.landingPageId = ''"
    >
      Direct link <span class="quiet">visitors go straight to the offer</span>
    </Button>
    <Button
      severity="secondary"
      class="choice"
      v-for="p in pages"
      :key="p.id"
      :aria-pressed="body.landingPageId === p.id"
      @click="body.landingPageId = p.id"
    >
      {{ p.body.name }}
      <span class="quiet"
        >{{ buttons(p.body.buttons)
        }}{{ p.body.countries.length ? ` · ${p.body.countries.slice(0, 4).join(', ')}` : '' }}</span
      >
    </Button>
    <Button severity="secondary" class="choice new" @click="$emit('make', 'landing-page', {})">
      <span class="row"><Plus :size="14" aria-hidden="true" /> New page</span>
    </Button>
  </div>
  <p v-if="errors.landingPageId" class="error small">{{ errors.landingPageId }}</p>
  <SplitRows v-model="body" :chain="chain" :error="errors.pairings" />
  <StepLacks :chain="chain" :at="['landing-page']" />
</template>
<style scoped src="./steps.css"></style>
