<script setup lang="ts">
/** What watches have found: what waits for a decision, and what members were notified of. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import type { Notice, WatchFinding } from '@tracheon/core/contract';
import { computed, onMounted, ref, shallowRef } from 'vue';
import { ask } from '../../app/api.ts';
import { useKeys } from '../../app/keys.ts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { moment } from '../../ui/format.ts';
import PageHead from '../../ui/PageHead.vue';
import SegmentChoice from '../../ui/SegmentChoice.vue';
import StateBlock from '../../ui/StateBlock.vue';
import FindingsTable from './FindingsTable.vue';
import WatchesNav from './WatchesNav.vue';

const session = useSession();
const notices = shallowRef<Notice[]>([]);
const asked = shallowRef<WatchFinding[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const search = ref('');
const which = ref<'all' | 'unread'>('all');
const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('listNotices'),
    (answer) => {
      [notices.value, asked.value, state.value] = [answer.notices, answer.asked, 'ready'];
    },
    (why) => {
      [failure.value, state.value] = [why, 'failed'];
    },
  );
onMounted(load);
onNews(['watches'], load);
/** What became of the last one is still to be read when nothing is left to decide. */
const hasDecided = ref(false);
function decided(): void {
  hasDecided.value = true;
  void load();
}
const unread = computed(() => notices.value.filter((n) => !n.isRead));
const shown = computed(() => {
  const text = search.value.trim().toLowerCase();
  return (which.value === 'unread' ? unread.value : notices.value).filter((n) =>
    `${n.title} ${n.text}`.toLowerCase().includes(text),
  );
});
async function read(ids: string[]): Promise<void> {
  if (ids.length === 0) return;
  await ask('readNotices', { body: { ids } }).catch((error: Error) => (failure.value = error.message));
  await load();
}
const readAll = (): Promise<void> => read(unread.value.map((n) => n.id));
useKeys([{ key: 'r', words: 'Mark all notices as read', run: () => void readAll() }]);
</script>
<template>
  <PageHead title="Notices" says="What your watches found, newest first.">
    <Button v-if="unread.length" severity="secondary" @click="readAll">Mark all as read <kbd>R</kbd></Button>
  </PageHead>
  <WatchesNav class="bar" />
  <StateBlock v-if="state !== 'ready'" :state="state" :words="failure" @again="load" />
  <template v-else>
    <section v-if="asked.length || hasDecided" class="sheet" aria-label="To decide">
      <h2 class="listHead">To decide</h2>
      <FindingsTable
        :findings="asked"
        label="To decide"
        state="ready"
        failure=""
        empty="Nothing to decide"
        with-watch
        @changed="decided"
        @again="load"
      />
    </section>
    <div v-if="notices.length" class="row bar top">
      <InputText v-model="search" class="search" placeholder="Search notices" aria-label="Search notices" />
      <SegmentChoice
        v-model="which"
        label="Which notices"
        :options="[
          { value: 'all', label: 'All' },
          { value: 'unread', label: `Unread (${unread.length})` },
        ]"
      />
    </div>
    <section class="sheet" aria-label="Notices">
      <StateBlock
        v-if="shown.length === 0"
        state="empty"
        :title="notices.length === 0 ? 'No notices yet' : 'No notices match'"
        :words="notices.length === 0 ? 'Watches write here what they find.' : ''"
      />
      <article v-for="n in shown" :key="n.id" class="notice" :class="{ isUnread: !n.isRead }">
        <div class="row spread">
          <h3>{{ n.title }}</h3>
          <span class="quiet">{{ moment(n.at, session.desk.zone) }}</span>
        </div>
        <p class="text">{{ n.text }}</p>
        <RouterLink v-if="n.to && n.to !== '/watches/notices'" :to="n.to" :aria-label="`Open: ${n.title}`"
          >Open</RouterLink
        >
        <Button v-if="!n.isRead" variant="link" :aria-label="`Mark as read: ${n.title}`" @click="read([n.id])"
          >Mark as read</Button
        >
      </article>
    </section>
  </template>
</template>
<style scoped>
.search {
  width: 220px;
}
.bar {
  margin-bottom: 10px;
}
.top {
  margin-top: 14px;
}
.listHead {
  padding: 12px 14px 0;
}
.notice {
  padding: 10px 14px;
  border-bottom: 1px solid var(--hairline);
}
.notice h3 {
  margin: 0;
  font-weight: 400;
}
.isUnread h3 {
  font-weight: 700;
}
.text {
  margin: 2px 0 0;
  white-space: pre-line;
}
</style>
