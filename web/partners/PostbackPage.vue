<script setup lang="ts">
/** What the partner is told of its conversions: the URL, when, a test, and what was sent last. */
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import Textarea from 'primevue/textarea';
import {
  partnerPostbackInput,
  toldStatuses,
  type PartnerPostbackInput,
  type SentToPartner,
} from '@tracheon/core/contract/partnerPage';
import { partnerTokens } from '@tracheon/core/tokens';
import { computed, nextTick, ref, watch } from 'vue';
import { useToast } from 'primevue/usetoast';
import { useAnswer } from '../base/useAnswer.ts';
import FormField from '../ui/FormField.vue';
import { moment } from '../ui/format.ts';
import LinkText from '../ui/LinkText.vue';
import ListTable from '../ui/ListTable.vue';
import PageHead from '../ui/PageHead.vue';
import SegmentChoice from '../ui/SegmentChoice.vue';
import StateBlock from '../ui/StateBlock.vue';
import StatusMark from '../ui/StatusMark.vue';
import type { Column } from '../ui/tableColumns.ts';
import { ask } from './ask.ts';
import { me, zone } from './me.ts';

const toast = useToast();
const { answer, failure, load } = useAnswer(
  () => 'postback',
  () => ask('postback'),
);
/** Kept on this browser until it is saved, so that nothing typed is lost. */
const draftKey = `tracheon.partner.${me.value?.partner.id}.postback`;
const input = ref<PartnerPostbackInput | null>(null);
const saved = computed(() => JSON.stringify(answer.value?.postback));
const isChanged = computed(() => input.value !== null && JSON.stringify(input.value) !== saved.value);
watch(answer, (now) => {
  if (!now || input.value) return;
  const kept = partnerPostbackInput.safeParse(JSON.parse(sessionStorage.getItem(draftKey) ?? 'null'));
  input.value = kept.success ? kept.data : { ...now.postback };
});
watch(
  input,
  (now) => {
    if (!now || !isChanged.value) sessionStorage.removeItem(draftKey);
    else sessionStorage.setItem(draftKey, JSON.stringify(now));
  },
  { deep: true },
);
const methods = [
  { value: 'get' as const, label: 'Server call' },
  { value: 'pixel' as const, label: 'Image pixel' },
];
const methodSays = {
  get: 'Our server calls this URL for each conversion. If yours does not answer, it is called again for a day.',
  pixel:
    'The buyer’s browser loads this URL as an image on the thank-you page. It works only for offers whose page has our pixel.',
};
const tokens = computed(() => [
  ...Object.entries(partnerTokens),
  ...(answer.value?.subs ?? []).map((s) => [`partner_sub_${s}`, `your sub-ID ${s}`]),
]);
const area = ref<{ $el: HTMLTextAreaElement } | null>(null);
async function insert(name: string): Promise<void> {
  if (!input.value) return;
  const { $el } = area.value!;
  const at = $el.selectionStart;
  const token = `{${name}}`;
  input.value.url = input.value.url.slice(0, at) + token + input.value.url.slice($el.selectionEnd);
  await nextTick();
  $el.focus();
  $el.setSelectionRange(at + token.length, at + token.length);
}
const served = ref<Record<string, string>>({});
const errors = computed<Record<string, string>>(() => {
  const parsed = input.value && isChanged.value ? partnerPostbackInput.safeParse(input.value) : null;
  const found = Object.fromEntries((parsed?.error?.issues ?? []).map((i) => [i.path.join('.'), i.message]));
  return { ...served.value, ...found };
});
watch(input, () => (served.value = {}), { deep: true });
const busy = ref(false);
async function does(act: () => Promise<void>): Promise<void> {
  if (busy.value) return;
  busy.value = true;
  try {
    await act();
  } catch (error) {
    const { fields = [], message } = error as Error & { fields?: { path: string; message: string }[] };
    served.value = fields.length
      ? Object.fromEntries(fields.map((f) => [f.path, f.message]))
      : { url: message };
  } finally {
    busy.value = false;
  }
}
const save = (): Promise<void> =>
  does(async () => {
    if (!input.value) return;
    input.value = await ask('savePostback', { body: input.value });
    sessionStorage.removeItem(draftKey);
    toast.add({
      severity: 'secondary',
      summary: input.value.url === '' ? 'Postback removed' : 'Postback saved',
      life: 4000,
    });
    await load();
  });
const tried = ref<{ url: string; isTaken: boolean; says: string } | null>(null);
const test = (): Promise<void> =>
  does(async () => {
    tried.value = null;
    tried.value = await ask('tryPostback', { body: { url: input.value?.url ?? '' } });
  });
const columns: Column<SentToPartner>[] = [
  { key: 'at', label: 'Time', sort: (r) => r.at },
  { key: 'status', label: 'Status', sort: (r) => r.status },
  { key: 'state', label: 'State', sort: (r) => r.state },
  { key: 'result', label: 'Answer' },
  { key: 'url', label: 'URL' },
];
const stateWords: Record<string, string> = {
  waiting: 'waiting',
  delivered: 'delivered',
  gave_up: 'given up',
  superseded: 'not needed any more',
  set_aside: 'set aside',
  on_page: 'waiting for the page',
};
</script>
<template>
  <PageHead
    title="Postback"
    says="Tell your own tracking about your conversions, as they come and when their status changes."
  />
  <StateBlock v-if="failure && !answer" class="sheet" state="failed" :words="failure" @again="load" />
  <StateBlock v-else-if="!input" class="sheet" state="loading" />
  <form v-else class="sheet pad" aria-label="Postback" @submit.prevent="save">
    <SegmentChoice v-model="input.method" :options="methods" label="Kind" />
    <p class="quiet">{{ methodSays[input.method] }}</p>
    <FormField
      v-slot="{ id, invalid, described }"
      label="Postback URL"
      hint="Leave it empty for no postback."
      :error="errors.url"
    >
      <Textarea
        :id="id"
        ref="area"
        v-model="input.url"
        class="mono"
        rows="3"
        spellcheck="false"
        :invalid="invalid"
        :aria-describedby="described"
      />
    </FormField>
    <p v-if="input.url"><LinkText :link="input.url" expander="we" /></p>
    <div class="tokens" role="group" aria-label="Insert a token">
      <Button
        v-for="[name, says] in tokens"
        :key="name"
        size="small"
        severity="secondary"
        :title="says"
        @click="insert(name!)"
        >{{ name }}</Button
      >
    </div>
    <fieldset>
      <legend>Send it when a payout becomes</legend>
      <label v-for="s in toldStatuses" :key="s" class="row">
        <Checkbox v-model="input.statuses" :value="s" /> {{ s }}
      </label>
      <p v-if="errors.statuses" class="error" role="alert">{{ errors.statuses }}</p>
    </fieldset>
    <div class="row">
      <Button type="submit" :disabled="busy || !isChanged">Save</Button>
      <Button severity="secondary" :disabled="busy || input.url === ''" @click="test">Send test</Button>
    </div>
    <div v-if="tried" :class="{ error: !tried.isTaken }" role="status">
      <p>{{ tried.says }}</p>
      <p class="mono called">{{ tried.url }}</p>
    </div>
  </form>
  <section class="sheet" aria-label="Sent last">
    <ListTable
      :rows="answer?.sent ?? []"
      :columns="columns"
      label="Sent last"
      :state="answer ? 'ready' : 'loading'"
      @again="load"
    >
      <template #empty
        ><StateBlock
          state="empty"
          title="Nothing sent yet"
          words="The postbacks of your next conversions appear here."
      /></template>
      <template #at="{ row }"><span class="nowrap">{{ moment(row.at, zone) }}</span></template>
      <template #status="{ row }"><StatusMark :word="row.status" /></template>
      <template #state="{ row }">{{ stateWords[row.state] ?? row.state }}</template>
      <template #result="{ row }">{{ row.result || '–' }}</template>
      <template #url="{ row }"><span class="mono called">{{ row.url }}</span></template>
    </ListTable>
  </section>
</template>
<style scoped>
form {
  display: grid;
  gap: 8px;
  justify-items: start;
}
form :deep(.field),
form :deep(textarea) {
  width: 100%;
}
.tokens {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
}
legend {
  font-weight: 600;
  padding: 0;
}
.called {
  overflow-wrap: anywhere;
}
.nowrap {
  white-space: nowrap;
}
section {
  margin-top: 12px;
}
</style>
