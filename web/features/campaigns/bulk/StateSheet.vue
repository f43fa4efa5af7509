<script setup lang="ts">
/** Several campaigns paused, resumed or archived: which ones first, done as one change, undone as one. */
import Button from 'primevue/button';
import type { PartRecord } from '@tracheon/core/contract';
import { computed } from 'vue';
import { useParts } from '../../../app/parts.ts';
import SideSheet from '../../../ui/SideSheet.vue';
import BulkFoot from '../../../shared/BulkFoot.vue';
import { useBulkChange } from '../../../shared/useBulkChange.ts';

type State = PartRecord['state'];
const props = defineProps<{ chosen: PartRecord<'campaign'>[]; to: State }>();
const open = defineModel<boolean>('open', { required: true });
const parts = useParts();
const { busy, failure, done, change, undo } = useBulkChange();
const words: Record<State, { verb: string; past: string; says: string }> = {
  paused: {
    verb: 'Pause',
    past: 'Paused',
    says: 'Visitors go to the fallback. Each source keeps charging you until you pause the campaign there too.',
  },
  live: { verb: 'Resume', past: 'Resumed', says: 'Visitors go to the offer again.' },
  archived: {
    verb: 'Archive',
    past: 'Archived',
    says: 'Archived campaigns leave the lists. Their figures stay, and their links still work for late visitors.',
  },
};
/** As they are now: a change that was made shows at once. */
const changing = computed(() =>
  props.chosen
    .map((c) => parts.one('campaign', c.id))
    .filter((c) => c !== undefined)
    .filter((c) => c.state !== props.to),
);
const campaigns = (n: number): string => (n === 1 ? '1 campaign' : `${n} campaigns`);
const run = (): Promise<void> =>
  change(
    `${words[props.to].past} ${campaigns(changing.value.length)}`,
    changing.value.map(({ id, version }) => ({ id, version, state: props.to })),
  );
</script>
<template>
  <SideSheet
    v-model:open="open"
    :title="`${words[to].verb} ${campaigns(chosen.length)}`"
    :says="words[to].says"
  >
    <form class="stack" @submit.prevent="run">
      <ul v-if="changing.length">
        <li v-for="c in changing" :key="c.id">
          {{ c.body.name }}<span class="quiet"> · {{ c.state }}</span>
        </li>
      </ul>
      <p v-else-if="!done" class="quiet">All of them are {{ to }} already.</p>
      <Button type="submit" :disabled="busy || changing.length === 0">
        {{ changing.length === 0 ? 'Nothing to change' : `${words[to].verb} ${campaigns(changing.length)}` }}
      </Button>
      <BulkFoot :done="done" :failure="failure" :busy="busy" @undo="undo" />
    </form>
  </SideSheet>
</template>
<style scoped src="./bulk.css"></style>
