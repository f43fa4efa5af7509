<script setup lang="ts">
/** Feeds: revenue that networks tell by their API, and cost that sources tell by theirs. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { Plus } from '@lucide/vue';
import { onMounted, ref, shallowRef } from 'vue';
import type { FeedRecord } from '@tracheon/core/contract';
import { ask } from '../../app/api.ts';
import { useKeys } from '../../app/keys.ts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { moment, money } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import FeedRuns from './FeedRuns.vue';
import FeedSheet from './FeedSheet.vue';
import { EXAMPLE_REPORT, runTone, runWords } from './feedWords.ts';
import MoneyNav from './MoneyNav.vue';

const session = useSession();
const feeds = shallowRef<FeedRecord[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
/** `new`, or the one that is edited. */
const edited = shallowRef<FeedRecord | 'new' | null>(null);
const shown = shallowRef<FeedRecord | null>(null);

const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('listFeeds'),
    ({ rows }) => {
      feeds.value = rows;
      state.value = 'ready';
    },
    (why) => {
      failure.value = why;
      state.value = 'failed';
    },
  );
onMounted(load);
onNews(['feeds'], load);
useKeys([{ key: 'n', words: 'Add feed', run: () => session.canEdit && (edited.value = 'new') }]);
const search = ref('');
/** After several failures it rests longer than its timetable says. */
function nextWords({ nextAt, restsUntil }: FeedRecord): string {
  if (nextAt === null) return 'off';
  const isResting = restsUntil !== null && restsUntil > nextAt;
  return moment(isResting ? restsUntil : nextAt, session.desk.zone);
}
</script>
<template>
  <PageHead
    title="Feeds"
    says="Some networks tell their revenue by an API instead of postbacks, and some sources tell their cost the same way. Tracheon fetches it, first as an estimate, later as final."
  >
    <Button v-if="session.canEdit" @click="edited = 'new'"
      ><Plus :size="16" aria-hidden="true" /> Add feed <kbd>N</kbd></Button
    >
  </PageHead>
  <MoneyNav class="bar" />
  <div v-if="feeds.length" class="row bar">
    <InputText
      v-model="search"
      class="search"
      placeholder="Feed, network or source"
      aria-label="Search feeds"
    />
  </div>
  <section class="sheet" aria-label="Feeds">
    <ListTable
      :rows="feeds"
      :state="state"
      :failure="failure"
      label="Feeds"
      name="feeds"
      sort-by="name"
      :search="search"
      :text="(f) => `${f.body.name} ${f.partnerName}`"
      :pick="(f) => (shown = f)"
      :columns="[
        { key: 'name', label: 'Feed', sort: (f) => f.body.name.toLowerCase(), fixed: true },
        { key: 'partner', label: 'Network or source', sort: (f) => f.partnerName },
        { key: 'gives', label: 'Tells', sort: (f) => f.body.gives },
        { key: 'last', label: 'Last run', sort: (f) => f.lastRun?.startedAt ?? '' },
        { key: 'result', label: 'Result' },
        {
          key: 'amount',
          label: 'Amount of that day',
          num: true,
          sort: (f) => BigInt(f.lastRun?.amountMicros ?? 0),
        },
        { key: 'next', label: 'Next run', sort: (f) => f.nextAt ?? '' },
        ...(session.canEdit ? [{ key: 'edit', label: '(edit)' }] : []),
      ]"
      @again="load"
    >
      <template #empty
        ><StateBlock
          state="empty"
          title="No feeds yet"
          :words="`Add a feed for a network or a source that has an API, such as a search-feed partner. You need the address of its report, such as ${EXAMPLE_REPORT}, and your key.`"
          ><Button v-if="session.canEdit" severity="secondary" @click="edited = 'new'"
            >Add feed</Button
          ></StateBlock
        ></template
      >
      <template #name="{ row }"
        ><Button variant="link" @click.stop="shown = row">{{ row.body.name }}</Button></template
      >
      <template #partner="{ row }">{{ row.partnerName }}</template>
      <template #gives="{ row }">{{ row.body.gives }}</template>
      <template #last="{ row }">{{
        row.lastRun ? moment(row.lastRun.startedAt, session.desk.zone) : 'never'
      }}</template>
      <template #result="{ row }"
        ><span v-if="row.lastRun" :class="runTone(row.lastRun)">{{ runWords(row.lastRun) }}</span></template
      >
      <template #amount="{ row }">{{
        row.lastRun ? `${money(row.lastRun.amountMicros)} ${row.body.currency}` : ''
      }}</template>
      <template #next="{ row }">{{ nextWords(row) }}</template>
      <template #edit="{ row }"
        ><Button variant="link" :aria-label="`Edit ${row.body.name}`" @click.stop="edited = row"
          >Edit</Button
        ></template
      >
    </ListTable>
  </section>
  <FeedSheet
    v-if="edited"
    :key="edited === 'new' ? 'new' : edited.id"
    :feed="edited === 'new' ? null : edited"
    @closed="edited = null"
    @saved="load"
  />
  <FeedRuns v-if="shown" :key="shown.id" :feed="shown" @closed="shown = null" />
</template>
<style scoped>
.search {
  width: 220px;
}
.bar {
  margin-bottom: 10px;
}
</style>
