<script setup lang="ts">
/** What Tracheon looks after by itself: troubles that go on, what each signal watch looks for, and what has ended. */
import Button from 'primevue/button';
import ToggleSwitch from 'primevue/toggleswitch';
import { signalKinds, type Signal, type SignalKind } from '@tracheon/core/contract';
import { signalKindWords } from '@tracheon/core/signalWatches';
import { onMounted, ref, shallowRef } from 'vue';
import { ask, type AnswerOf } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { moment } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import WatchesNav from './WatchesNav.vue';

const session = useSession();
const answer = shallowRef<AnswerOf<'listSignals'> | null>(null);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const said = ref('');
const busy = ref('');
const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('listSignals'),
    (now) => {
      [answer.value, state.value] = [now, 'ready'];
    },
    (why) => {
      [failure.value, state.value] = [why, 'failed'];
    },
  );
onMounted(load);
onNews(['watches'], load);
async function act(id: string, work: () => Promise<unknown>): Promise<void> {
  if (busy.value !== '') return;
  [busy.value, said.value] = [id, ''];
  try {
    await work();
  } catch (error) {
    said.value = (error as Error).message;
  } finally {
    busy.value = '';
    await load();
  }
}
const accept = (s: Signal): Promise<void> => act(s.id, () => ask('acceptSignal', { id: s.id }));
function turn(kind: SignalKind, isOn: boolean): Promise<void> {
  const off = (answer.value?.off ?? []).filter((k) => k !== kind);
  return act(kind, () => ask('setSignals', { body: { off: isOn ? off : [...off, kind] } }));
}
/** Kinds that were told to look, with when they had looked before. */
const looking = ref<Partial<Record<SignalKind, string>>>({});
const isLooking = (kind: SignalKind): boolean =>
  looking.value[kind] !== undefined && looking.value[kind] === (answer.value?.lookedAt[kind] ?? '');
function lookNow(kind: SignalKind): Promise<void> {
  looking.value = { ...looking.value, [kind]: answer.value?.lookedAt[kind] ?? '' };
  return act(kind, () => ask('lookForSignal', { body: { kind } }));
}
const everyWords = (minutes: number): string =>
  minutes === 1 ? 'every minute' : minutes === 60 ? 'every hour' : `every ${minutes} minutes`;
const kinds = signalKinds.map((kind) => ({ id: kind, ...signalKindWords[kind] }));
</script>
<template>
  <PageHead
    title="Signal watches"
    says="Tracheon checks these on every desk by itself. It notifies you of each trouble once, when the trouble begins."
  />
  <WatchesNav class="bar" />
  <p v-if="said" class="error" role="alert">{{ said }}</p>
  <StateBlock v-if="state !== 'ready'" :state="state" :words="failure" @again="load" />
  <template v-else-if="answer">
    <section class="sheet" aria-label="Now">
      <h2 class="listHead">Now</h2>
      <StateBlock
        v-if="answer.open.length === 0"
        state="empty"
        title="No trouble now"
        words="What the signal watches find appears here, and under Today."
      />
      <article v-for="s in answer.open" :key="s.id" class="trouble">
        <div class="row spread">
          <h3>{{ signalKindWords[s.kind].label }}: {{ s.name }}</h3>
          <span class="quiet">since {{ moment(s.since, session.desk.zone) }}</span>
        </div>
        <p>{{ s.sentence }} <span v-if="s.sure" class="quiet">Tracheon is {{ s.sure }}.</span></p>
        <p class="quiet">{{ s.advice }}</p>
        <div class="row">
          <RouterLink :to="s.to" :aria-label="`Open: ${s.name}`">Open</RouterLink>
          <Button
            v-if="s.canAccept && session.canEdit"
            variant="link"
            :disabled="busy !== ''"
            :aria-label="`It is right as it is: ${s.name}`"
            @click="accept(s)"
            >It is right as it is</Button
          >
        </div>
      </article>
    </section>
    <section class="sheet top" aria-label="What Tracheon looks for">
      <ListTable
        :rows="kinds"
        state="ready"
        failure=""
        label="What Tracheon looks for"
        name="signal-kinds"
        :columns="[
          { key: 'label', label: 'Signal watch', sort: (k) => k.label },
          { key: 'says', label: 'Looks for' },
          { key: 'looked', label: 'Last look', sort: (k) => answer!.lookedAt[k.id] ?? '' },
          ...(session.canEdit ? [{ key: 'look', label: '(Look)' }] : []),
          { key: 'on', label: 'On' },
        ]"
      >
        <template #label="{ row }">{{ row.label }}</template>
        <template #says="{ row }"><span class="says">{{ row.says }}</span></template>
        <template #looked="{ row }"
          >{{ answer.lookedAt[row.id] ? moment(answer.lookedAt[row.id]!, session.desk.zone) : 'not yet'
          }}<span class="quiet">, {{ everyWords(row.everyMinutes) }}</span></template
        >
        <template #look="{ row }"
          ><Button
            variant="link"
            :disabled="busy !== '' || isLooking(row.id) || answer.off.includes(row.id)"
            :aria-label="`Look now: ${row.label}`"
            @click.stop="lookNow(row.id)"
            >{{ isLooking(row.id) ? 'Looking …' : 'Look now' }}</Button
          ></template
        >
        <template #on="{ row }"
          ><ToggleSwitch
            :model-value="!answer.off.includes(row.id)"
            :disabled="!session.canEdit || busy !== ''"
            :aria-label="row.label"
            @update:model-value="turn(row.id, $event)"
            @click.stop
        /></template>
      </ListTable>
    </section>
    <section v-if="answer.ended.length" class="sheet top" aria-label="Ended">
      <h2 class="listHead">Ended</h2>
      <ListTable
        :rows="answer.ended"
        state="ready"
        failure=""
        label="Ended"
        name="signals-ended"
        :columns="[
          { key: 'kind', label: 'Signal watch', sort: (s) => signalKindWords[s.kind].label },
          { key: 'sentence', label: 'Trouble' },
          { key: 'since', label: 'From', sort: (s) => s.since },
          { key: 'ended', label: 'To', sort: (s) => s.endedAt ?? '' },
        ]"
      >
        <template #kind="{ row }">{{ signalKindWords[row.kind].label }}</template>
        <template #sentence="{ row }"><span class="says">{{ row.sentence }}</span></template>
        <template #since="{ row }">{{ moment(row.since, session.desk.zone) }}</template>
        <template #ended="{ row }">{{ moment(row.endedAt!, session.desk.zone) }}</template>
      </ListTable>
    </section>
  </template>
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
.top {
  margin-top: 14px;
}
.listHead {
  padding: 12px 14px 4px;
}
.trouble {
  padding: 10px 14px;
  border-top: 1px solid var(--hairline);
}
.trouble h3,
.trouble p {
  margin: 0 0 2px;
}
.says {
  white-space: normal;
}
</style>
