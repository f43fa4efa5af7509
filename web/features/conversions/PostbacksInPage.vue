<script setup lang="ts">
import Button from 'primevue/button';
import { postbackOutcomes, type PostbackInRow } from '@tracheon/core/contract';
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { moment } from '../../ui/format.ts';
import StateBlock from '../../ui/StateBlock.vue';
import StatusMark from '../../ui/StatusMark.vue';
import type { Column } from '../../ui/tableColumns.ts';
import ServerList from '../../shared/ServerList.vue';
import { useList } from '../../shared/useList.ts';
import { ask } from '../../app/api.ts';
import ManyBar from './ManyBar.vue';
import ConversionsHead from './ConversionsHead.vue';
import { listWord, partFilter, wordsFilter } from './filters.ts';
import PostbackSheet from './PostbackSheet.vue';

const session = useSession();
const list = useList('listPostbacksIn', ['kind', 'network', 'campaign']);
const filters = computed(() => [
  wordsFilter('Outcome', postbackOutcomes),
  partFilter('network', 'network', 'Network'),
  partFilter('campaign', 'campaign', 'Campaign'),
]);
onNews(['postbacks-in'], list.load);
/** A link may lead to one postback of the list. */
const route = useRoute();
const chosen = ref(String(route.query.open ?? ''));
const open = ref(chosen.value !== '');
const columns: Column<PostbackInRow>[] = [
  { key: 'at', label: 'Time', sort: (r) => r.receivedAt, fixed: true },
  { key: 'network', label: 'Network', csv: (r) => r.networkName },
  { key: 'outcome', label: 'Outcome', csv: (r) => listWord(r.outcome) },
  { key: 'why', label: 'Why', csv: (r) => r.sentence },
  { key: 'query', label: 'Raw request', csv: (r) => r.rawQuery || r.body },
];
function show(row: PostbackInRow): void {
  chosen.value = row.id;
  open.value = true;
}
</script>
<template>
  <ConversionsHead
    v-model:search="list.search.value"
    v-model:chosen="list.chosen"
    title="Postbacks in"
    says="Every postback from your networks, with its result and the reason."
    :filters="filters"
  />
  <ManyBar
    v-if="session.canEdit && list.chosen.kind === 'repair' && list.rows.value.length > 0"
    list="listPostbacksIn"
    :query="{ ...list.chosen, kind: 'repair', search: list.search.value }"
    label="Reprocess all"
    done="repaired"
    :again="(ids) => ask('reprocessPostbacks', { body: { ids } })"
    :set-aside="(ids, reason) => ask('setAsidePostbacks', { body: { ids, reason } })"
    @changed="list.load"
  />
  <ServerList :list="list" :columns="columns" name="postbacks-in" label="Postbacks in" :pick="show">
    <template #empty>
      <StateBlock
        state="empty"
        :title="list.isNarrowed.value ? 'No matching postbacks' : 'No postbacks yet'"
        words="Give the network its postback URL. Every postback it sends appears here within two seconds, even one that cannot be matched."
      >
        <RouterLink to="/parts/network">Open networks</RouterLink>
      </StateBlock>
    </template>
    <template #at="{ row }"
      ><Button variant="link" class="nowrap" @click.stop="show(row)">
        {{ moment(row.receivedAt, session.desk.zone) }}
      </Button></template
    >
    <template #network="{ row }"><span class="nowrap">{{ row.networkName }}</span></template>
    <template #outcome="{ row }"><StatusMark :word="row.outcome" /></template>
    <template #why="{ row }">{{ row.sentence }}</template>
    <template #query="{ row }"
      ><code class="clip">{{ row.rawQuery || row.body || '(nothing)' }}</code></template
    >
  </ServerList>
  <PostbackSheet v-if="chosen" :id="chosen" v-model:open="open" @changed="list.load" />
</template>
<style scoped src="./lists.css"></style>
