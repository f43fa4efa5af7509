<script setup lang="ts">
/** What a watch found, and its checks. */
import Button from 'primevue/button';
import type { WatchFinding, WatchRecord, WatchRun } from '@tracheon/core/contract';
import { watchSentence } from '@tracheon/core/watches';
import { onMounted, ref, shallowRef } from 'vue';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { count, moment } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import SideSheet from '../../ui/SideSheet.vue';
import StateBlock from '../../ui/StateBlock.vue';
import FindingsTable from './FindingsTable.vue';
import { useWatchNames } from './useWatchNames.ts';

const props = defineProps<{ watch: WatchRecord }>();
const emit = defineEmits<{ closed: []; edit: [] }>();
const session = useSession();
const names = useWatchNames();
const runs = shallowRef<WatchRun[]>([]);
const findings = shallowRef<WatchFinding[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('watchHistory', { id: props.watch.id }),
    (answer) => {
      [runs.value, findings.value, state.value] = [answer.runs, answer.findings, 'ready'];
    },
    (why) => {
      [failure.value, state.value] = [why, 'failed'];
    },
  );
onMounted(load);
onNews(['watches'], load);
</script>
<template>
  <SideSheet
    :open="true"
    :title="watch.body.name"
    :says="watchSentence(watch.body, names)"
    @update:open="emit('closed')"
  >
    <div class="stack">
      <p v-if="watch.waits" role="note">The next check waits. {{ watch.waits }}</p>
      <Button v-if="session.canEdit" severity="secondary" class="edit" @click="emit('edit')"
        >Edit watch</Button
      >
      <h3>Findings</h3>
      <FindingsTable
        :findings="findings"
        label="Findings"
        :state="state"
        :failure="failure"
        empty="It has found nothing yet"
        @changed="load"
        @again="load"
      />
      <h3>Checks</h3>
      <ListTable
        :rows="runs"
        :state="state"
        :failure="failure"
        label="Checks"
        :columns="[
          { key: 'at', label: 'Time', sort: (r) => r.at },
          { key: 'rows', label: 'Looked at', num: true, sort: (r) => r.rows },
          { key: 'matched', label: 'Conditions hold', num: true, sort: (r) => r.matched },
          { key: 'found', label: 'Newly found', num: true, sort: (r) => r.found },
          { key: 'acted', label: 'Acted on', num: true, sort: (r) => r.acted },
          { key: 'note', label: 'Note' },
        ]"
        @again="load"
      >
        <template #empty><StateBlock state="empty" title="No checks yet" /></template>
        <template #at="{ row }">{{ moment(row.at, session.desk.zone) }}</template>
        <template #rows="{ row }">{{ count(row.rows) }}</template>
        <template #matched="{ row }">{{ count(row.matched) }}</template>
        <template #found="{ row }">{{ count(row.found) }}</template>
        <template #acted="{ row }">{{ count(row.acted) }}</template>
        <template #note="{ row }">{{ row.note }}</template>
      </ListTable>
    </div>
  </SideSheet>
</template>
<style scoped>
.edit {
  align-self: flex-start;
  justify-self: start;
  width: auto;
}
</style>
