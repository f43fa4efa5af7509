<script setup lang="ts">
/** Which configuration each running server answers visits from. */
import type { RunningConfiguration } from '@tracheon/core/contract';
import { onMounted, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { moment } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import StateBlock from '../../ui/StateBlock.vue';

const session = useSession();
const running = ref<RunningConfiguration | null>(null);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('configuration'),
    (answer) => {
      running.value = answer;
      state.value = 'ready';
    },
    () => (state.value = 'failed'),
  );
onMounted(load);
onNews(['parts'], load, 1500);
</script>
<template>
  <section class="sheet pad" aria-label="Servers">
    <h2>Servers</h2>
    <p class="quiet">
      A change is live within a second on every server. Until a server has loaded it, that server sends
      visitors by the version before.
    </p>
    <StateBlock v-if="state !== 'ready'" :state="state" @again="load" />
    <template v-else-if="running">
      <p role="status">
        <strong>{{
          running.isLive
            ? `Version ${running.version} is live on every server.`
            : `Version ${running.version} is not live on every server yet.`
        }}</strong>
        <span class="quiet"> Changed {{ moment(running.changedAt, session.desk.zone) }}.</span>
      </p>
      <ListTable
        :rows="running.servers.map((s) => ({ ...s, id: s.name }))"
        label="Servers"
        :columns="[
          { key: 'name', label: 'Server', fixed: true },
          { key: 'version', label: 'Version' },
          { key: 'startedAt', label: 'Started' },
          { key: 'trouble', label: 'Problem' },
        ]"
      >
        <template #name="{ row }">{{ row.name }}</template>
        <template #version="{ row }">{{ row.version ?? '–' }}</template>
        <template #startedAt="{ row }">{{ moment(row.startedAt, session.desk.zone) }}</template>
        <template #trouble="{ row }">{{ row.trouble || '–' }}</template>
      </ListTable>
    </template>
  </section>
</template>
