<script setup lang="ts">
/** What can be done with campaigns beyond one: for those that are chosen, and the changes that were made so. */
import Button from 'primevue/button';
import type { PartRecord } from '@tracheon/core/contract';
import { adLink } from '@tracheon/core/links';
import { computed, ref } from 'vue';
import { offersOf } from '@tracheon/core/routing';
import { useParts } from '../../../app/parts.ts';
import { useSession } from '../../../app/session.ts';
import CopyButton from '../../../ui/CopyButton.vue';
import ChangesSheet from './ChangesSheet.vue';
import DuplicateSheet from './DuplicateSheet.vue';
import RenameSheet from './RenameSheet.vue';
import ReplaceOfferSheet from './ReplaceOfferSheet.vue';
import StateSheet from './StateSheet.vue';
import TagsSheet from './TagsSheet.vue';

const props = defineProps<{ chosen: PartRecord<'campaign'>[] }>();
defineEmits<{ done: [] }>();
const parts = useParts();
const session = useSession();
const sheet = ref<'' | 'duplicate' | 'swap' | 'rename' | 'tags' | 'state' | 'changes'>('');
const to = ref<PartRecord['state']>('paused');
function setState(state: PartRecord['state']): void {
  to.value = state;
  sheet.value = 'state';
}
const all = (state: PartRecord['state']): boolean => props.chosen.every((c) => c.state === state);
const isOpen = computed({ get: () => sheet.value !== '', set: (o) => o || (sheet.value = '') });
/** All of them lead to the same offer: it is the one to swap. */
const offerId = computed(() => {
  const [first, ...others] = [...new Set(props.chosen.flatMap((c) => offersOf(c.body)))];
  return others.length === 0 ? (first ?? '') : '';
});
const links = computed(() =>
  props.chosen
    .map((c) => {
      const source = parts.one('source', c.body.sourceId);
      return source
        ? `${c.body.name}\t${adLink(session.me?.trackingOrigin ?? '', c, source.body, (id) => parts.one('landing-page', id))}`
        : '';
    })
    .join('\n'),
);
defineExpose({ show: (which: 'swap' | 'changes') => (sheet.value = which) });
</script>
<template>
  <div v-if="chosen.length" class="sheet pad row chosen" role="region" aria-label="Chosen campaigns">
    <strong>{{ chosen.length }} chosen</strong>
    <template v-if="session.canEdit">
      <Button v-if="!all('paused')" severity="secondary" @click="setState('paused')">Pause …</Button>
      <Button v-if="!all('live')" severity="secondary" @click="setState('live')">Resume …</Button>
      <Button v-if="!all('archived')" severity="secondary" @click="setState('archived')">Archive …</Button>
      <Button severity="secondary" @click="sheet = 'tags'">Tags …</Button>
      <Button severity="secondary" @click="sheet = 'rename'">Rename by rule …</Button>
      <Button severity="secondary" @click="sheet = 'swap'">Replace an offer …</Button>
      <Button
        severity="secondary"
        :disabled="chosen.length !== 1"
        :aria-describedby="chosen.length === 1 ? undefined : 'duplicate-needs-one'"
        @click="sheet = 'duplicate'"
      >
        Duplicate for …
      </Button>
    </template>
    <CopyButton :text="links" label="Copy their links" hint="Names and links, a line each." />
    <Button variant="link" @click="$emit('done')">Clear selection</Button>
    <span v-if="session.canEdit && chosen.length !== 1" id="duplicate-needs-one" class="quiet"
      >To duplicate, choose one campaign only.</span
    >
  </div>
  <DuplicateSheet v-if="sheet === 'duplicate' && chosen[0]" v-model:open="isOpen" :from="chosen[0]" />
  <ReplaceOfferSheet v-if="sheet === 'swap'" v-model:open="isOpen" :offer-id="offerId" />
  <RenameSheet v-if="sheet === 'rename'" v-model:open="isOpen" :chosen="chosen" />
  <StateSheet v-if="sheet === 'state'" v-model:open="isOpen" :chosen="chosen" :to="to" />
  <TagsSheet v-if="sheet === 'tags'" v-model:open="isOpen" :chosen="chosen" />
  <ChangesSheet v-if="sheet === 'changes'" v-model:open="isOpen" />
</template>
<style scoped>
.chosen {
  margin-bottom: 10px;
  flex-wrap: wrap;
}
</style>
