<script setup lang="ts">
import Button from 'primevue/button';
import { postbackOutStates, type PostbackOutRow } from '@tracheon/core/contract';
import { useToast } from 'primevue/usetoast';
import { ref } from 'vue';
import { useRoute } from 'vue-router';
import { api } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { moment } from '../../ui/format.ts';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import MoreRows from '../../ui/MoreRows.vue';
import SideSheet from '../../ui/SideSheet.vue';
import StateBlock from '../../ui/StateBlock.vue';
import StatusMark from '../../ui/StatusMark.vue';
import { usePage } from '../../shared/usePage.ts';
import ConversionsHead from './ConversionsHead.vue';

const route = useRoute();
const session = useSession();
const toast = useToast();
const search = ref('');
const kind = ref(String(route.query.state ?? ''));
const list = usePage<PostbackOutRow>('/postbacks-out', () => ({
  search: search.value,
  kind: kind.value,
  limit: 50,
}));
onNews(['postbacks-out'], list.load);
const chosen = ref<PostbackOutRow | null>(null);
const open = ref(false);
const columns: Column<PostbackOutRow>[] = [
  { key: 'at', label: 'Time', sort: (r) => r.id },
  { key: 'source', label: 'Source', sort: (r) => r.sourceName },
  { key: 'told', label: 'Status', sort: (r) => r.status },
  { key: 'state', label: 'State', sort: (r) => r.state },
  { key: 'last', label: 'Last attempt' },
  { key: 'tries', label: 'Attempts', num: true, sort: (r) => r.attempts.length },
  { key: 'url', label: 'Postback URL' },
];
const last = (r: PostbackOutRow): string => {
  const a = r.attempts.at(-1);
  if (!a) return 'not tried yet';
  return `${a.result}${a.httpStatus && a.result === 'delivered' ? ` (${a.httpStatus})` : ''}, ${a.tookMs} ms`;
};
function show(row: PostbackOutRow): void {
  chosen.value = row;
  open.value = true;
}
async function retry(row: PostbackOutRow): Promise<void> {
  try {
    await api.post(`/postbacks-out/${row.id}/retry`);
    open.value = false;
    await list.load();
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
  }
}
</script>
<template>
  <ConversionsHead
    v-model:search="search"
    v-model:kind="kind"
    title="Postbacks out"
    says="Postbacks that Tracheon sends to your sources, with every attempt."
    :kinds="postbackOutStates"
    kind-label="State"
  />
  <section class="sheet" aria-label="Postbacks out">
    <ListTable
      :rows="list.rows.value"
      :columns="columns"
      :state="list.state.value"
      :failure="list.failure.value"
      name="postbacks-out"
      label="Postbacks out"
      sort-by="-at"
      :search="search"
      :pick="show"
      @again="list.load"
    >
      <template #empty>
        <StateBlock
          state="empty"
          :title="search || kind ? 'No matching postbacks' : 'No postbacks yet'"
          words="When a conversion reaches a status that you chose at the source, Tracheon sends its postback. It appears here."
        >
          <RouterLink to="/parts/source">Open sources</RouterLink>
        </StateBlock>
      </template>
      <template #at="{ row }"
        ><Button variant="link" class="nowrap" @click.stop="show(row)">
          {{ moment(row.createdAt, session.desk.zone) }}
        </Button></template
      >
      <template #source="{ row }"
        ><span class="nowrap">{{ row.sourceName }}</span></template
      >
      <template #told="{ row }">{{ row.status }}</template>
      <template #state="{ row }"><StatusMark :word="row.state" /></template>
      <template #last="{ row }"
        >{{ last(row)
        }}<span v-if="row.nextTryAt && row.attempts.length" class="quiet">
          · next attempt {{ moment(row.nextTryAt, session.desk.zone) }}</span
        ></template
      >
      <template #tries="{ row }">{{ row.attempts.length }}</template>
      <template #url="{ row }"
        ><code class="clip">{{ row.url }}</code></template
      >
    </ListTable>
    <MoreRows :next="list.next.value" :failure="list.moreFailure.value" @more="list.more" />
  </section>
  <SideSheet v-if="chosen" v-model:open="open" title="One postback out">
    <div class="stack">
      <p>
        <StatusMark :word="chosen.state" /> · reports status {{ chosen.status }} to {{ chosen.sourceName }}
      </p>
      <dl>
        <dt>Campaign</dt>
        <dd>{{ chosen.campaignName }}</dd>
        <dt>Address</dt>
        <dd>
          <code class="raw">{{ chosen.url }}</code>
        </dd>
      </dl>
      <ListTable
        :rows="chosen.attempts"
        :row-key="(a) => a.at"
        label="Attempts"
        :columns="[
          { key: 'at', label: 'Attempt' },
          { key: 'result', label: 'Result' },
          { key: 'took', label: 'Took', num: true },
        ]"
      >
        <template #at="{ row }">{{ moment(row.at, session.desk.zone) }}</template>
        <template #result="{ row }"
          >{{ row.result }}<span v-if="row.httpStatus" class="quiet"> ({{ row.httpStatus }})</span></template
        >
        <template #took="{ row }">{{ row.tookMs }} ms</template>
      </ListTable>
      <div v-if="session.canEdit && chosen.state === 'gave_up'">
        <Button @click="retry(chosen)">Try again</Button>
      </div>
    </div>
  </SideSheet>
</template>
<style scoped src="./lists.css"></style>
