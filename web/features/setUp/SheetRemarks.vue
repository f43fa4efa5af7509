<script setup lang="ts">
/** Above the steps: what could not be saved, what another member changed meanwhile, and parts that were archived. */
import Button from 'primevue/button';
import { CircleAlert } from '@lucide/vue';
import { computed } from 'vue';
import type { PartRecord, SheetField } from '@tracheon/core/contract';
import { useParts } from '../../app/parts.ts';
import type { useSheet } from './useSheet.ts';

const props = defineProps<{
  sheet: ReturnType<typeof useSheet>;
  archived: (PartRecord | undefined)[];
}>();
const parts = useParts();
/** Fields that show what is wrong with them themselves. */
const OWN_PLACE =
  /^(link|networkId|payoutMicros|currency|offerName|sourceId|account|landingPageId|campaignName|costMicros|costCurrency)$/;
const leftOver = computed(() =>
  Object.entries(props.sheet.fieldErrors.value).filter(([path]) => !OWN_PLACE.test(path)),
);
const fieldWords: Partial<Record<SheetField, string>> = {
  link: 'the offer link',
  campaignName: 'the campaign’s name',
  sourceId: 'the source',
  networkId: 'the network',
  landingPageId: 'the landing page',
};
const nameOfValue = (value: unknown): string =>
  parts.byId.get(String(value))?.body.name ?? (String(value) || 'nothing');
</script>
<template>
  <p v-if="sheet.failure.value" class="sheet pad wrong" role="alert">
    <CircleAlert :size="16" aria-hidden="true" class="error" /> {{ sheet.failure.value }}
    <span v-for="[path, message] in leftOver" :key="path"> {{ path }}: {{ message }}</span>
  </p>
  <div v-if="sheet.collisions.value.length" class="sheet pad wrong" role="alert">
    <p v-for="c in sheet.collisions.value" :key="c.field">
      {{ c.by || 'Another member' }} changed {{ fieldWords[c.field] ?? c.field }} to “{{
        nameOfValue(c.theirs)
      }}” while you were editing it.
    </p>
    <div class="row">
      <Button severity="secondary" @click="sheet.takeTheirs">Use their version</Button>
      <Button severity="secondary" @click="sheet.keepMine">Keep my version</Button>
    </div>
  </div>
  <p v-for="p in archived" :key="p!.id" class="sheet pad wrong" role="alert">
    {{ p!.body.name }} has been archived. Choose another one, or
    <RouterLink :to="`/parts/${p!.kind}`">restore it</RouterLink>.
  </p>
</template>
<style scoped>
.wrong {
  border-color: var(--error);
  display: grid;
  gap: 6px;
}
</style>
