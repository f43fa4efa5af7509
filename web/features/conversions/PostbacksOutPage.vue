<script setup lang="ts">
import Button from 'primevue/button';
import { postbackOutStates, type PostbackOutRow } from '@tracheon/core/contract';
import { useConfirm } from 'primevue/useconfirm';
import { useToast } from 'primevue/usetoast';
import { computed, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { moment, ordinal } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import SideSheet from '../../ui/SideSheet.vue';
import StateBlock from '../../ui/StateBlock.vue';
import StatusMark from '../../ui/StatusMark.vue';
import type { Column } from '../../ui/tableColumns.ts';
import ServerList from '../../shared/ServerList.vue';
import { useList } from '../../shared/useList.ts';
import ManyBar from './ManyBar.vue';
import SourcesHealth from './SourcesHealth.vue';
import ConversionsHead from './ConversionsHead.vue';
import { listWord, partFilter, wordsFilter } from './filters.ts';

const session = useSession();
const toast = useToast();
const list = useList('listPostbacksOut', ['kind', 'source', 'campaign', 'batch']);
const filters = computed(() => [
  wordsFilter('State', postbackOutStates),
  partFilter('source', 'source', 'Source'),
  partFilter('campaign', 'campaign', 'Campaign'),
]);
onNews(['postbacks-out'], list.load);
const chosen = ref<PostbackOutRow | null>(null);
const open = ref(false);
const columns: Column<PostbackOutRow>[] = [
  { key: 'at', label: 'Time', sort: (r) => r.createdAt, fixed: true },
  { key: 'source', label: 'To', csv: (r) => r.sourceName },
  { key: 'status', label: 'Status', csv: (r) => r.status },
  { key: 'state', label: 'State', csv: (r) => listWord(r.state) },
  { key: 'last', label: 'Last attempt', csv: (r) => last(r) },
  { key: 'tries', label: 'Attempts', num: true, csv: (r) => r.attempts.length },
  { key: 'url', label: 'Postback URL', csv: (r) => r.url },
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
const confirm = useConfirm();
/** The source may count it twice: it is asked first. */
function sendAgain(row: PostbackOutRow): void {
  confirm.require({
    header: 'Send this postback again?',
    message: `${row.sourceName} received it already. It has the same Idempotency-Key, but it may still be counted twice.`,
    acceptLabel: 'Send again',
    rejectLabel: 'Cancel',
    accept: () => void resend(row),
  });
}
async function resend(row: PostbackOutRow): Promise<void> {
  try {
    const { changed, unchanged } = await ask('resendPostbacksOut', { body: { ids: [row.id] } });
    if (changed === 0) toast.add({ severity: 'error', summary: unchanged[0]?.why ?? '', life: 6000 });
    else open.value = false;
    await list.load();
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
  }
}
async function retry(row: PostbackOutRow): Promise<void> {
  try {
    await ask('retryPostbackOut', { id: row.id });
    open.value = false;
    await list.load();
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
  }
}
</script>
<template>
  <ConversionsHead
    v-model:search="list.search.value"
    v-model:chosen="list.chosen"
    title="Postbacks out"
    says="Postbacks that Tracheon sends to your sources, with every attempt."
    :filters="filters"
  />
  <ManyBar
    v-if="session.canEdit && list.chosen.kind === 'gave_up' && list.rows.value.length > 0"
    list="listPostbacksOut"
    :query="{ ...list.chosen, search: list.search.value }"
    label="Retry all"
    done="will be sent again"
    :again="(ids) => ask('retryPostbacksOut', { body: { ids } })"
    :set-aside="(ids, reason) => ask('setAsidePostbacksOut', { body: { ids, reason } })"
    @changed="list.load"
  />
  <ManyBar
    v-if="session.canEdit && list.chosen.kind === 'delivered' && list.rows.value.length > 0"
    list="listPostbacksOut"
    :query="{ ...list.chosen, search: list.search.value }"
    label="Send all again"
    ask-first="The source received these postbacks already, and may count them twice."
    done="will be sent again"
    :again="(ids) => ask('resendPostbacksOut', { body: { ids } })"
    @changed="list.load"
  />
  <p v-if="list.chosen.batch" class="row" role="note">
    Only postbacks that one import, repair or change by hand led to.
    <Button variant="link" @click="list.chosen.batch = ''">Show all</Button>
  </p>
  <SourcesHealth v-else />
  <ServerList :list="list" :columns="columns" name="postbacks-out" label="Postbacks out" :pick="show">
    <template #empty>
      <StateBlock
        state="empty"
        :title="list.isNarrowed.value ? 'No matching postbacks' : 'No postbacks yet'"
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
      ><span class="nowrap"
        >{{ row.sourceName }}<template v-if="row.isPartner"> (partner)</template></span
      ></template
    >
    <template #status="{ row }">{{ row.status }}</template>
    <template #state="{ row }"><StatusMark :word="row.state" /></template>
    <template #last="{ row }"
      >{{ last(row)
      }}<span v-if="row.nextTryAt && row.attempts.length" class="quiet">
        · next attempt {{ moment(row.nextTryAt, session.desk.zone) }}</span
      ></template
    >
    <template #tries="{ row }">{{ row.attempts.length }}</template>
    <template #url="{ row }"><code class="clip">{{ row.url }}</code></template>
  </ServerList>
  <SideSheet v-if="chosen" v-model:open="open" title="One postback out">
    <div class="stack">
      <p>
        <StatusMark :word="chosen.state" /> · reports status {{ chosen.status
        }}<template v-if="chosen.nth > 1"> for the {{ ordinal(chosen.nth) }} time</template> to
        {{ chosen.sourceName }}
      </p>
      <dl>
        <dt>Campaign</dt>
        <dd>{{ chosen.campaignName }}</dd>
        <dt>Address</dt>
        <dd>
          <code class="raw">{{ chosen.method === 'get' ? 'GET' : 'POST' }} {{ chosen.url }}</code>
        </dd>
        <template v-if="chosen.body">
          <dt>Body</dt>
          <dd>
            <code class="raw">{{ chosen.body }}</code>
          </dd>
        </template>
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
      <p v-if="chosen.setAsideReason">Set aside: {{ chosen.setAsideReason }}</p>
      <div v-if="session.canEdit && chosen.state === 'delivered'">
        <Button variant="outlined" @click="sendAgain(chosen)">Send again</Button>
      </div>
      <div v-if="session.canEdit && (chosen.state === 'gave_up' || chosen.state === 'set_aside')">
        <Button @click="retry(chosen)">Try again</Button>
        <p class="quiet">Tracheon builds the URL anew from the source’s current postback URL.</p>
      </div>
    </div>
  </SideSheet>
</template>
<style scoped src="./lists.css"></style>
