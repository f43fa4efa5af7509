<script setup lang="ts">
/** What can be done with campaigns beyond one: for those that are chosen, and the changes that were made so. */
import Button from 'primevue/button';
import type { PartRecord } from '@tracheon/core/contract';
import { trackingLink } from '@tracheon/core/links';
import { computed, ref } from 'vue';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import CopyButton from '../../ui/CopyButton.vue';
import ChangesSheet from './ChangesSheet.vue';
import DuplicateSheet from './DuplicateSheet.vue';
import RenameSheet from './RenameSheet.vue';
import ReplaceOfferSheet from './ReplaceOfferSheet.vue';

const props = defineProps<{ chosen: PartRecord<'campaign'>[] }>();
defineEmits<{ done: [] }>();
const parts = useParts();
const session = useSession();
const sheet = ref<'' | 'duplicate' | 'swap' | 'rename' | 'changes'>('');
const isOpen = computed({ get: () => sheet.value !== '', set: (o) => o || (sheet.value = '') });
/** All of them lead to the same offer: it is the one to swap. */
const offerId = computed(() => {
  const [first, ...others] = props.chosen.map((c) => c.body.offerId);
  return others.every((o) => o === first) ? (first ?? '') : '';
});
const links = computed(() =>
  props.chosen
    .map((c) => {
      const source = parts.one('source', c.body.sourceId);
      return source
        ? `${c.body.name}\t${trackingLink(session.me?.trackingOrigin ?? '', c.key, source.body)}`
        : '';
    })
    .join('\n'),
);
defineExpose({ show: (which: 'swap' | 'changes') => (sheet.value = which) });
</script>
<template>
  <div v-if="chosen.length" class="sheet pad row chosen" role="region" aria-label="Chosen campaigns">
    <strong>{{ chosen.length }} chosen</strong>
    <Button
      severity="secondary"
      v-if="session.canEdit"
      :disabled="chosen.length !== 1"
      @click="sheet = 'duplicate'"
    >
      Duplicate for …
    </Button>
    <Button severity="secondary" v-if="session.canEdit" @click="sheet = 'swap'">Replace an offer …</Button>
    <Button severity="secondary" v-if="session.canEdit" @click="sheet = 'rename'">Rename by rule …</Button>
    <CopyButton :text="links" label="Copy their links" hint="Names and links, a line each." />
    <Button variant="link" @click="$emit('done')">None</Button>
  </div>
  <DuplicateSheet v-if="sheet === 'duplicate' && chosen[0]" v-model:open="isOpen" :from="chosen[0]" />
  <ReplaceOfferSheet v-if="sheet === 'swap'" v-model:open="isOpen" :offer-id="offerId" />
  <RenameSheet v-if="sheet === 'rename'" v-model:open="isOpen" :chosen="chosen" />
  <ChangesSheet v-if="sheet === 'changes'" v-model:open="isOpen" />
</template>
<style scoped>
.chosen {
  margin-bottom: 10px;
}
</style>
