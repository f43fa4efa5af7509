<script setup lang="ts">
/** What networks say they owe, beside what is booked: statements uploaded, compared, and their differences settled. */
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import type { Statement } from '@tracheon/core/contract';
import { computed, onBeforeUnmount, onMounted, reactive, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import FileMapping from '../../shared/fileMapping/FileMapping.vue';
import { useFileDraft } from '../../shared/fileMapping/useFileDraft.ts';
import DayField from '../../ui/DayField.vue';
import { count, moment } from '../../ui/format.ts';
import FormField from '../../ui/FormField.vue';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import { lineWords } from './lineWords.ts';
import MoneyNav from './MoneyNav.vue';
import StatementResult from './StatementResult.vue';

const LOOK_AGAIN_MS = 1000;
const session = useSession();
const route = useRoute();
const router = useRouter();
const file = useFileDraft();
const { draft, settings, problems, busy, during } = file;
const days = reactive({ from: '', to: '' });
const all = shallowRef<Statement[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('listStatements'),
    (found) => {
      all.value = found;
      state.value = 'ready';
    },
    (why) => {
      failure.value = why;
      state.value = all.value.length > 0 ? 'ready' : 'failed';
    },
  );
onMounted(load);
onNews(['postbacks-in'], load);
const isRunning = (s: Statement): boolean => s.batch.state === 'running';
let timer: ReturnType<typeof setTimeout> | undefined;
watch(all, (now) => {
  clearTimeout(timer);
  if (now.some(isRunning)) timer = setTimeout(() => void load(), LOOK_AGAIN_MS);
});
onBeforeUnmount(() => clearTimeout(timer));

const chosen = computed(() => all.value.find((s) => s.batch.id === route.query.statement));
const choose = (id: string): void => void router.replace({ query: { statement: id } });
const isReversed = computed(() => days.from !== '' && days.to !== '' && days.from > days.to);
const compare = (): Promise<void> =>
  during('Starting …', async () => {
    const { id } = await ask('compareStatement', { id: draft.value!.id, body: { ...settings, ...days } });
    file.leave();
    choose(id);
    await load();
  });
const act = (s: Statement, name: 'stopBatch' | 'resumeBatch'): Promise<void> =>
  during('', async () => {
    await ask(name, { id: s.batch.id });
    await load();
  });
/** What needs a decision, in few words. */
const summary = (s: Statement): string =>
  s.sums.map((sum) => `${count(sum.count)} ${lineWords[sum.kind].label.toLowerCase()}`).join(', ') ||
  'nothing yet';
</script>
<template>
  <PageHead
    title="Statements"
    says="Compare what your networks state with what Tracheon has booked. Nothing is booked until you say so."
  />
  <MoneyNav class="nav" />
  <section v-if="session.canEdit" class="sheet pad stack" aria-label="New statement">
    <FileMapping :file="file" />
    <template v-if="draft">
      <div class="days">
        <FormField v-slot="{ id }" label="First day" hint="If empty, the first date in the file.">
          <DayField :id="id" v-model="days.from" />
        </FormField>
        <FormField
          v-slot="{ id }"
          label="Last day (inclusive)"
          hint="If empty, the last date in the file."
          :error="isReversed ? 'The last day is before the first.' : undefined"
        >
          <DayField :id="id" v-model="days.to" />
        </FormField>
      </div>
      <div class="row">
        <Button :disabled="problems.length > 0 || busy !== '' || isReversed" @click="compare"
          >Compare {{ count(draft.total) }} rows</Button
        >
        <span class="quiet">Comparing books nothing.</span>
      </div>
    </template>
  </section>
  <StateBlock v-if="state === 'failed'" state="failed" :words="failure" @again="load" />
  <StateBlock
    v-else-if="state === 'ready' && all.length === 0 && !draft"
    state="empty"
    title="No statements yet"
    words="Upload the statement that your network sends, as CSV or XLSX. Each row needs our click ID or the transaction. Tracheon shows what agrees, what differs, and what is missing on either side."
  />
  <StatementResult v-if="chosen" class="result" :statement="chosen" @booked="load" />
  <section v-if="all.length > 0" class="sheet pad" aria-label="Statements">
    <h2>Statements</h2>
    <ul>
      <li v-for="s in all" :key="s.batch.id">
        <div>
          <Button variant="link" :aria-current="s.batch.id === chosen?.batch.id" @click="choose(s.batch.id)"
            >{{ s.networkName }}: {{ s.fileName }}</Button
          >
          <span class="quiet"> · {{ moment(s.batch.at, session.desk.zone) }} · {{ s.batch.by }}</span>
        </div>
        <div class="row">
          <template v-if="isRunning(s)">
            <ProgressBar
              class="bar"
              :value="Math.round((s.batch.finished / Math.max(1, s.batch.total)) * 100)"
              :show-value="false"
              aria-label="Progress"
            />
            <span role="status">{{ count(s.batch.finished) }} of {{ count(s.batch.total) }}</span>
            <Button v-if="session.canEdit" severity="secondary" size="small" @click="act(s, 'stopBatch')"
              >Stop</Button
            >
          </template>
          <template v-else>
            <span class="quiet">{{ [summary(s), s.batch.problem].filter(Boolean).join('. ') }}</span>
            <Button
              v-if="session.canEdit && s.batch.state === 'stopped'"
              severity="secondary"
              size="small"
              @click="act(s, 'resumeBatch')"
              >Continue</Button
            >
          </template>
        </div>
      </li>
    </ul>
  </section>
</template>
<style scoped>
.days {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(220px, 100%), 320px));
  gap: 2px 14px;
}
.nav {
  margin-bottom: 10px;
}
.result,
.sheet {
  margin-bottom: 10px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  padding: 8px 0;
  border-top: 1px solid var(--hairline);
}
h2 {
  margin: 0 0 8px;
}
.bar {
  width: 160px;
  height: 6px;
}
</style>
