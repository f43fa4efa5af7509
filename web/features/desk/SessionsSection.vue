<script setup lang="ts">
/** Where the member is signed in, and the end of it. */
import Button from 'primevue/button';
import type { SessionRow } from '@tracheon/core/contract';
import { useToast } from 'primevue/usetoast';
import { onMounted, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { moment } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import StateBlock from '../../ui/StateBlock.vue';

const session = useSession();
const toast = useToast();
const rows = ref<SessionRow[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
async function load(): Promise<void> {
  try {
    rows.value = await ask('listSessions');
    state.value = 'ready';
  } catch {
    state.value = 'failed';
  }
}
onMounted(load);
async function end(these: SessionRow[]): Promise<void> {
  try {
    for (const { id } of these) await ask('endSession', { id });
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
  }
  await load();
}
</script>
<template>
  <section class="sheet pad" aria-label="Your sessions">
    <div class="row spread">
      <h2>Your sessions</h2>
      <Button v-if="rows.length > 1" severity="secondary" @click="end(rows.filter((r) => !r.isCurrent))"
        >End all others</Button
      >
    </div>
    <p class="quiet">A session ends after 14 days without use, and after 30 days at the latest.</p>
    <StateBlock v-if="state !== 'ready'" :state="state" @again="load" />
    <ListTable
      v-else
      :rows="rows"
      label="Your sessions"
      :columns="[
        { key: 'agent', label: 'Browser', fixed: true },
        { key: 'from', label: 'Address' },
        { key: 'started', label: 'Signed in' },
        { key: 'seen', label: 'Last used' },
        { key: 'act', label: '(Actions)' },
      ]"
    >
      <template #agent="{ row }"
        ><span class="agent" :title="row.agent">{{ row.agent || '–' }}</span></template
      >
      <template #from="{ row }">{{ row.addressPrefix || '–' }}</template>
      <template #started="{ row }">{{ moment(row.startedAt, session.desk.zone) }}</template>
      <template #seen="{ row }">{{ moment(row.seenAt, session.desk.zone) }}</template>
      <template #act="{ row }"
        ><span v-if="row.isCurrent" class="quiet">this one</span
        ><Button v-else severity="secondary" size="small" @click="end([row])">End</Button></template
      >
    </ListTable>
  </section>
</template>
<style scoped>
.agent {
  display: inline-block;
  max-width: 190px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  vertical-align: bottom;
}
</style>
