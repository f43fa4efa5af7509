<script setup lang="ts">
/** Watches: rules that look at figures every so often, and act or ask. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { Plus } from '@lucide/vue';
import type { WatchRecord } from '@tracheon/core/contract';
import { watchSentence } from '@tracheon/core/watches';
import { useConfirm } from 'primevue/useconfirm';
import { computed, onMounted, ref, shallowRef } from 'vue';
import { ask } from '../../app/api.ts';
import { useKeys } from '../../app/keys.ts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { moment } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import { useWatchNames } from './useWatchNames.ts';
import WatchesNav from './WatchesNav.vue';
import WatchHistory from './WatchHistory.vue';
import WatchSheet from './WatchSheet.vue';

const session = useSession();
const names = useWatchNames();
const confirm = useConfirm();
const watches = shallowRef<WatchRecord[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const said = ref('');
const search = ref('');
/** `new`, or the one that is edited. */
const edited = shallowRef<WatchRecord | 'new' | null>(null);
const shownId = ref('');
const shown = computed(() => watches.value.find((w) => w.id === shownId.value) ?? null);

const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('listWatches'),
    ({ rows }) => {
      [watches.value, state.value] = [rows, 'ready'];
    },
    (why) => {
      [failure.value, state.value] = [why, 'failed'];
    },
  );
onMounted(load);
onNews(['watches'], load);
useKeys([{ key: 'n', words: 'Add watch', run: () => session.canEdit && (edited.value = 'new') }]);
async function act(work: () => Promise<unknown>): Promise<void> {
  said.value = '';
  try {
    await work();
  } catch (error) {
    said.value = (error as Error).message;
  }
  await load();
}
const turn = (w: WatchRecord): Promise<void> =>
  act(() =>
    ask('changeWatch', {
      id: w.id,
      body: { version: w.version, body: { ...w.body, isOn: w.nextAt === null } },
    }),
  );
function askRemove(w: WatchRecord): void {
  confirm.require({
    header: `Delete the watch “${w.body.name}”?`,
    message: 'Its findings are deleted too. What it did stays done. You can’t undo this.',
    acceptLabel: 'Delete',
    rejectLabel: 'Cancel',
    accept: () => void act(() => ask('removeWatch', { id: w.id })),
  });
}
const foundWords = ({ open, asked }: WatchRecord): string =>
  open === 0 ? 'nothing' : asked === 0 ? `${open} open` : `${open} open, ${asked} to decide`;
const nextWords = ({ nextAt, waits }: WatchRecord): string =>
  nextAt === null ? 'off' : waits ? 'waits' : moment(nextAt, session.desk.zone);
</script>
<template>
  <PageHead
    title="Watches"
    says="A watch looks at your figures again and again, also while you sleep. It notifies you of what it finds, and pauses or blocks it if you want."
  >
    <Button v-if="session.canEdit" @click="edited = 'new'"
      ><Plus :size="16" aria-hidden="true" /> Add watch <kbd>N</kbd></Button
    >
  </PageHead>
  <WatchesNav class="bar" />
  <div v-if="watches.length" class="row bar">
    <InputText v-model="search" class="search" placeholder="Watch" aria-label="Search watches" />
  </div>
  <p v-if="said" class="error" role="alert">{{ said }}</p>
  <section class="sheet" aria-label="Watches">
    <ListTable
      :rows="watches"
      :state="state"
      :failure="failure"
      label="Watches"
      name="watches"
      sort-by="name"
      :search="search"
      :text="(w) => `${w.body.name} ${watchSentence(w.body, names)}`"
      :pick="(w) => (shownId = w.id)"
      :columns="[
        { key: 'name', label: 'Watch', sort: (w) => w.body.name.toLowerCase(), fixed: true },
        { key: 'last', label: 'Last check', sort: (w) => w.lastRun?.at ?? '' },
        { key: 'found', label: 'Found', sort: (w) => w.open },
        { key: 'next', label: 'Next check', sort: (w) => w.nextAt ?? '' },
        ...(session.canEdit ? [{ key: 'act', label: '(Actions)' }] : []),
      ]"
      @again="load"
    >
      <template #empty
        ><StateBlock
          state="empty"
          title="No watches yet"
          words="Add a watch, such as: for every site of a source, when it has cost two payouts and has no conversion, put it on the block list."
          ><Button v-if="session.canEdit" severity="secondary" @click="edited = 'new'"
            >Add watch</Button
          ></StateBlock
        ></template
      >
      <template #name="{ row }"
        ><Button variant="link" @click.stop="shownId = row.id">{{ row.body.name }}</Button
        ><small class="quiet says">{{ watchSentence(row.body, names) }}</small></template
      >
      <template #last="{ row }">{{
        row.lastRun ? moment(row.lastRun.at, session.desk.zone) : 'never'
      }}</template>
      <template #found="{ row }">{{ foundWords(row) }}</template>
      <template #next="{ row }"><span :title="row.waits">{{ nextWords(row) }}</span></template>
      <template #act="{ row }"
        ><Button variant="link" :aria-label="`Edit ${row.body.name}`" @click.stop="edited = row">Edit</Button>
        <Button
          variant="link"
          :aria-label="`${row.nextAt === null ? 'Switch on' : 'Switch off'} ${row.body.name}`"
          @click.stop="turn(row)"
          >{{ row.nextAt === null ? 'Switch on' : 'Switch off' }}</Button
        >
        <Button variant="link" :aria-label="`Delete ${row.body.name}`" @click.stop="askRemove(row)"
          >Delete</Button
        ></template
      >
    </ListTable>
  </section>
  <WatchSheet
    v-if="edited"
    :key="edited === 'new' ? 'new' : edited.id"
    :watch="edited === 'new' ? null : edited"
    @closed="edited = null"
    @saved="load"
  />
  <WatchHistory
    v-if="shown && !edited"
    :key="shown.id"
    :watch="shown"
    @closed="shownId = ''"
    @edit="edited = shown"
  />
</template>
<style scoped>
.search {
  width: 220px;
}
.bar {
  margin-bottom: 10px;
}
.says {
  display: block;
  white-space: normal;
  max-width: 90ch;
}
</style>
