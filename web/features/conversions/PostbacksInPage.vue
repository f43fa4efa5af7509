<script setup lang="ts">
import Button from 'primevue/button';
import { postbackOutcomes, type JudgementAnswer, type PostbackInRow } from '@tracheon/core/contract';
import { reasonSentence } from '@tracheon/core/conversions';
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
const search = ref(String(route.query.search ?? ''));
const kind = ref(String(route.query.outcome ?? ''));
const list = usePage<PostbackInRow>('/postbacks-in', () => ({
  search: search.value,
  kind: kind.value,
  limit: 50,
}));
onNews(['postbacks-in'], list.load);
const chosen = ref<PostbackInRow | null>(null);
const open = ref(false);
const judging = ref(false);
const columns: Column<PostbackInRow>[] = [
  { key: 'at', label: 'Time', sort: (r) => r.id },
  { key: 'network', label: 'Network', sort: (r) => r.networkName },
  { key: 'outcome', label: 'Outcome', sort: (r) => r.outcome },
  { key: 'why', label: 'Why' },
  { key: 'query', label: 'Raw request' },
];
function show(row: PostbackInRow): void {
  chosen.value = row;
  open.value = true;
}
async function reprocess(how: 'reprocess' | 'release'): Promise<void> {
  if (!chosen.value || judging.value) return;
  judging.value = true;
  try {
    const { outcome, reason, detail, conversionId } = await api.post<JudgementAnswer>(
      `/postbacks-in/${chosen.value.id}/${how}`,
    );
    // The answer itself, since a filtered list may not have the postback any more.
    const sentence = reasonSentence(reason, detail);
    chosen.value = { ...chosen.value, outcome, reason, sentence, conversionId };
    toast.add({ severity: 'secondary', summary: `Now ${outcome}`, detail: sentence, life: 4000 });
    await list.load();
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
  } finally {
    judging.value = false;
  }
}
const noteWords = (note: string): string => {
  const [what, name] = note.split(':');
  const words: Record<string, string> = {
    repeated: `“${name}” appeared more than once; Tracheon used the first value`,
    unsubstituted: `the network did not replace the macro for ${name}`,
    trimmed: `Tracheon removed spaces around ${name}`,
    cut: `${name} was longer than 512 bytes and was cut`,
    unreadable: `${name} is not a valid time`,
    replaced_characters: 'Tracheon replaced characters that it cannot store',
    refund: 'the negative amount counts as a refund',
    other_network: 'the visit belongs to another network’s offer',
  };
  return words[what!] ?? note;
};
</script>
<template>
  <ConversionsHead
    v-model:search="search"
    v-model:kind="kind"
    title="Postbacks in"
    says="Every postback from your networks, with its result and the reason."
    :kinds="postbackOutcomes"
    kind-label="Outcome"
  />
  <section class="sheet" aria-label="Postbacks in">
    <ListTable
      :rows="list.rows.value"
      :columns="columns"
      :state="list.state.value"
      :failure="list.failure.value"
      name="postbacks-in"
      label="Postbacks in"
      sort-by="-at"
      :search="search"
      :pick="show"
      @again="list.load"
    >
      <template #empty>
        <StateBlock
          state="empty"
          :title="search || kind ? 'No matching postbacks' : 'No postbacks yet'"
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
      <template #network="{ row }"
        ><span class="nowrap">{{ row.networkName }}</span></template
      >
      <template #outcome="{ row }"><StatusMark :word="row.outcome" /></template>
      <template #why="{ row }">{{ row.sentence }}</template>
      <template #query="{ row }"
        ><code class="clip">{{ row.rawQuery || row.body || '(nothing)' }}</code></template
      >
    </ListTable>
    <MoreRows :next="list.next.value" :failure="list.moreFailure.value" @more="list.more" />
  </section>
  <SideSheet v-if="chosen" v-model:open="open" title="One postback">
    <div class="stack">
      <p><StatusMark :word="chosen.outcome" /> · {{ chosen.sentence }}</p>
      <ul v-if="chosen.notes.length" class="notes">
        <li v-for="n in chosen.notes" :key="n">{{ noteWords(n) }}</li>
      </ul>
      <dl>
        <dt>Received</dt>
        <dd>{{ moment(chosen.receivedAt, session.desk.zone) }} ({{ session.desk.zone }})</dd>
        <dt>Network</dt>
        <dd>{{ chosen.networkName }}</dd>
        <dt>Click ID</dt>
        <dd>
          <code>{{ chosen.clickId || 'none' }}</code>
        </dd>
        <dt>Conversion</dt>
        <dd>
          <RouterLink v-if="chosen.conversionId" :to="`/conversions/all?search=${chosen.clickId}`"
            >Show conversion</RouterLink
          ><span v-else>none</span>
        </dd>
        <dt>Raw query</dt>
        <dd>
          <code class="raw">{{ chosen.method }} ?{{ chosen.rawQuery }}</code>
        </dd>
        <template v-if="chosen.body"
          ><dt>Raw body</dt>
          <dd>
            <code class="raw">{{ chosen.body }}</code>
          </dd></template
        >
      </dl>
      <div v-if="session.canEdit && chosen.outcome === 'repair'" class="row">
        <Button :disabled="judging" @click="reprocess('reprocess')">
          {{ judging ? 'Reprocessing …' : 'Reprocess' }}
        </Button>
        <span class="quiet"
          >Fix the <RouterLink to="/parts/network">network’s mapping</RouterLink> first. Reprocessing never
          counts anything twice.</span
        >
      </div>
      <div v-if="session.canEdit && chosen.outcome === 'held'" class="row">
        <Button :disabled="judging" @click="reprocess('release')">
          {{ judging ? 'Processing …' : 'Release and process' }}
        </Button>
        <span class="quiet"
          >If this address belongs to the network, add it to the
          <RouterLink to="/parts/network">network’s allowed addresses</RouterLink>. Later postbacks from it
          won’t be held.</span
        >
      </div>
    </div>
  </SideSheet>
</template>
<style scoped src="./lists.css"></style>
