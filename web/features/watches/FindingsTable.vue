<script setup lang="ts">
/** Findings with what was seen, what was done, and what a member can decide. */
import Button from 'primevue/button';
import type { WatchFinding } from '@tracheon/core/contract';
import { seenWords } from '@tracheon/core/watches';
import { ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { moment } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import StateBlock from '../../ui/StateBlock.vue';
import { useWatchNames } from './useWatchNames.ts';
import { decisionsOn, stateWords } from './watchWords.ts';

defineProps<{
  findings: WatchFinding[];
  label: string;
  state: 'loading' | 'ready' | 'failed';
  failure: string;
  empty: string;
  /** Shown of which watch each is. */
  withWatch?: boolean;
}>();
const emit = defineEmits<{ changed: []; again: [] }>();
const session = useSession();
const names = useWatchNames();
const busy = ref('');
const said = ref('');
async function decide(finding: WatchFinding, decision: 'act' | 'leave' | 'undo'): Promise<void> {
  if (busy.value !== '') return;
  [busy.value, said.value] = [finding.id, ''];
  try {
    const now = await ask('decideFinding', { id: finding.id, body: { decision } });
    said.value = `${finding.name}: ${stateWords[now.state]}.${now.why ? ` ${now.why}` : ''}`;
  } catch (error) {
    said.value = `${finding.name}: ${(error as Error).message}`;
  } finally {
    busy.value = '';
    emit('changed');
  }
}
</script>
<template>
  <p v-if="said" role="status">{{ said }}</p>
  <ListTable
    :rows="findings"
    :state="state"
    :failure="failure"
    :label="label"
    :columns="[
      { key: 'name', label: 'Found', sort: (f) => f.name.toLowerCase() },
      ...(withWatch ? [{ key: 'watch', label: 'Watch', sort: (f: WatchFinding) => f.watchName }] : []),
      { key: 'seen', label: 'Figures' },
      { key: 'at', label: 'Since', sort: (f) => f.foundAt },
      { key: 'state', label: 'Done', sort: (f) => f.state },
      ...(session.canEdit ? [{ key: 'act', label: '(Decide)' }] : []),
    ]"
    @again="emit('again')"
  >
    <template #empty><StateBlock state="empty" :title="empty" /></template>
    <template #name="{ row }">{{ row.name }}</template>
    <template #watch="{ row }">{{ row.watchName }}</template>
    <template #seen="{ row }">{{ row.seen.map((s) => seenWords(s, names)).join(', ') }}</template>
    <template #at="{ row }"
      >{{ moment(row.foundAt, session.desk.zone)
      }}<span v-if="row.endedAt" class="quiet"
        >, ended {{ moment(row.endedAt, session.desk.zone) }}</span
      ></template
    >
    <template #state="{ row }"
      ><span :title="row.why">{{ stateWords[row.state] }}{{ row.by ? `, ${row.by}` : '' }}</span
      ><small v-if="row.why" class="quiet why">{{ row.why }}</small></template
    >
    <template #act="{ row }"
      ><Button
        v-for="d in decisionsOn(row)"
        :key="d.decision"
        variant="link"
        :disabled="busy !== ''"
        :aria-label="`${d.label}: ${row.name}`"
        @click.stop="decide(row, d.decision)"
        >{{ d.label }}</Button
      ></template
    >
  </ListTable>
</template>
<style scoped>
.why {
  display: block;
}
</style>
