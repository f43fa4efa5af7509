<script setup lang="ts">
/** The link builder: a partner's link put together from its base, fixed values, tokens and a run of keywords. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Textarea from 'primevue/textarea';
import type { KeywordList } from '@tracheon/core/contract';
import {
  builtLink,
  checkLink,
  handoverUrls,
  keywordRun,
  offerContext,
  wordsOf,
  type LinkRecipe,
} from '@tracheon/core/links';
import { computed, onMounted, reactive, ref, shallowRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import { ask, type ApiError } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import CopyButton from '../../ui/CopyButton.vue';
import FindingsList from '../../ui/FindingsList.vue';
import FormField from '../../ui/FormField.vue';
import LinkText from '../../ui/LinkText.vue';
import PageHead from '../../ui/PageHead.vue';
import PickOne from '../../ui/PickOne.vue';
import RowsField from '../../ui/RowsField.vue';
import TextField from '../../ui/TextField.vue';
import TryOutNav from './TryOutNav.vue';
import { counted } from '../../ui/format.ts';

const KEPT = 'link builder';
const MAX_KEPT = 100_000;
const EXAMPLE_BASE = 'https://feed.partner.example/s';
const NO_ADDRESS = 'Start with https:// (or http://) and a host name.';
const session = useSession();
const parts = useParts();
const router = useRouter();
const blank = {
  networkId: '',
  base: '',
  fixed: [{ name: '', value: '' }],
  prefix: 'kw',
  words: '',
  list: '',
};
/** As it was left; what can't be read begins anew. */
function kept(): Partial<typeof blank> {
  try {
    return JSON.parse(sessionStorage.getItem(KEPT) ?? '{}') as Partial<typeof blank>;
  } catch {
    return {};
  }
}
const draft = reactive({ ...blank, ...kept() });
watch(draft, (now) => {
  const text = JSON.stringify(now);
  if (text.length <= MAX_KEPT) sessionStorage.setItem(KEPT, text);
});

const network = computed(() => parts.one('network', draft.networkId) ?? null);
const recipe = computed((): LinkRecipe => ({
  base: draft.base,
  fixed: draft.fixed,
  run: { prefix: draft.prefix, words: wordsOf(draft.words) },
}));
const isAddress = computed(() => /^https?:\/\/[^/?#\s]+/i.test(draft.base.trim()));
const link = computed(() => (isAddress.value ? builtLink(recipe.value, network.value?.body ?? null) : ''));
const findings = computed(() =>
  link.value === ''
    ? []
    : // A fix would mend the text; here it is made of its parts.
      checkLink(link.value, offerContext(network.value?.body, session.me?.trackingOrigins ?? [])).map(
        ({ fix: _fix, ...finding }) => finding,
      ),
);
/** For partners that call as well: an address for each event type. */
const addresses = computed(() =>
  network.value
    ? handoverUrls(
        session.me?.trackingOrigin ?? '',
        network.value.key,
        network.value.body,
        'event',
        parts.of('event-type').map((e) => e.body),
      )
    : [],
);

const lacksMacro = computed(() => network.value?.body.fields.click_id.macro === '');

const lists = shallowRef<KeywordList[]>([]);
const said = ref('');
onMounted(async () => {
  try {
    lists.value = await ask('listKeywords');
  } catch (error) {
    said.value = `Tracheon could not load the keyword lists. ${(error as Error).message}`;
  }
});
/** A link in the field of keywords is read: its run takes its place. */
watch(
  () => draft.words,
  (text) => {
    if (!/^\s*https?:\/\//i.test(text)) return;
    const run = keywordRun(text.trim());
    if (!run) return void (said.value = 'This link has no keyword run.');
    [draft.prefix, draft.words] = [run.prefix, run.words.join('\n')];
    said.value = `Tracheon took ${counted(run.words.length, 'keyword')} from the link.`;
  },
);
async function act(work: () => Promise<string>): Promise<void> {
  try {
    said.value = await work();
    lists.value = await ask('listKeywords');
  } catch (error) {
    const { fields = [], message } = error as ApiError;
    said.value = fields[0]?.message ?? message;
  }
}
const saveList = (): Promise<void> =>
  act(async () => {
    await ask('saveKeywords', { body: { name: draft.list.trim(), words: wordsOf(draft.words) } });
    return `“${draft.list.trim()}” is saved.`;
  });
const removeList = (list: KeywordList): Promise<void> =>
  act(async () => {
    await ask('removeKeywords', { id: list.id });
    draft.list = '';
    return `“${list.name}” is deleted.`;
  });
const chosen = computed(() =>
  lists.value.find((l) => l.name.toLowerCase() === draft.list.trim().toLowerCase()),
);
/** The saved list whose keywords are in the field. */
const shown = computed(() =>
  chosen.value?.words.join('\n') === wordsOf(draft.words).join('\n') ? chosen.value.id : '',
);
function useList(id: string | undefined): void {
  const list = lists.value.find((l) => l.id === id);
  if (list) [draft.list, draft.words] = [list.name, list.words.join('\n')];
}
</script>
<template>
  <PageHead
    title="Link builder"
    says="Put a partner’s link together from its base, fixed values, tokens and keywords. Tracheon checks it as you type."
  />
  <TryOutNav class="bar" />
  <div class="two">
    <section class="sheet pad stack" aria-label="Parts of the link">
      <FormField
        v-slot="{ id }"
        label="Network"
        hint="Its click ID and required parameters are added for you."
      >
        <PickOne
          :id="id"
          v-model="draft.networkId"
          :options="[
            { value: '', label: 'none' },
            ...parts.of('network').map((n) => ({ value: n.id, label: n.body.name })),
          ]"
        />
      </FormField>
      <TextField
        v-model.trim="draft.base"
        label="Base address"
        :error="draft.base !== '' && !isAddress ? NO_ADDRESS : ''"
        mono
        :placeholder="EXAMPLE_BASE"
      />
      <RowsField
        v-slot="{ row }"
        v-model="draft.fixed"
        title="Values"
        add="Add value"
        one="value"
        :make="() => ({ name: '', value: '' })"
      >
        <div class="halves">
          <TextField v-model.trim="row.name" label="Parameter" mono />
          <TextField v-model="row.value" label="Value or token" mono />
        </div>
      </RowsField>
      <div class="halves">
        <FormField v-slot="{ id }" label="Keyword list">
          <PickOne
            :id="id"
            :model-value="shown"
            :options="lists.map((l) => ({ value: l.id, label: l.name }))"
            placeholder="Choose a saved list"
            :disabled="lists.length === 0"
            @update:model-value="useList"
          />
        </FormField>
        <FormField v-slot="{ id }" label="Parameter before the number" hint="kw makes kw1, kw2 and so on.">
          <InputText :id="id" v-model.trim="draft.prefix" class="mono" autocomplete="off" maxlength="20" />
        </FormField>
      </div>
      <FormField v-slot="{ id }" label="Keywords" hint="One per line. Paste a link to take its keywords.">
        <Textarea :id="id" v-model="draft.words" rows="5" class="wide" spellcheck="false" />
      </FormField>
      <div v-if="session.canEdit" class="row save">
        <TextField v-model="draft.list" label="Name of the list" />
        <Button
          severity="secondary"
          :disabled="draft.list.trim() === '' || wordsOf(draft.words).length === 0"
          @click="saveList"
          >Save list</Button
        >
        <Button v-if="chosen" severity="secondary" @click="removeList(chosen)">Delete list</Button>
      </div>
      <p v-if="said" role="status">{{ said }}</p>
    </section>
    <section class="sheet pad stack" aria-label="The link">
      <h2>The link</h2>
      <p v-if="link === ''" class="quiet">Enter the base address first.</p>
      <template v-else>
        <LinkText :link="link" expander="we" />
        <FindingsList :findings="findings" />
        <div class="row">
          <CopyButton :text="link" label="Copy link" hint="The link as it goes into the offer" />
          <Button
            v-if="session.canEdit"
            @click="router.push({ path: '/parts/offer', query: { new: '1', link } })"
            >New offer with this link</Button
          >
        </div>
        <template v-if="addresses.length">
          <h2>Addresses for the partner</h2>
          <p v-if="lacksMacro" class="quiet">
            Enter the network’s macro for the click ID at the network first. Until then these addresses carry
            none.
          </p>
          <p v-else class="quiet">If the partner also calls, give it one address for each event type.</p>
          <div v-for="a in addresses" :key="a.of" class="row">
            <strong>{{ a.of }}</strong>
            <span class="mono address">{{ a.url }}</span>
            <CopyButton :text="a.url" label="Copy" :hint="`Address for ${a.of}`" />
          </div>
        </template>
      </template>
    </section>
  </div>
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 12px;
  align-items: start;
}
.halves {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 2px 14px;
  align-items: end;
}
.wide {
  width: 100%;
}
.save {
  align-items: end;
}
.save button {
  margin-bottom: 21px;
}
.address {
  overflow-wrap: anywhere;
  font-size: 12px;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
