<script setup lang="ts">
/** The link reader: paste any link, or many, or a tag; see what is in it; take values out of it. Nothing is fetched. */
import ListTable from '../../ui/ListTable.vue';
import Textarea from 'primevue/textarea';
import Button from 'primevue/button';
import PickOne from '../../ui/PickOne.vue';
import Checkbox from 'primevue/checkbox';
import { compareLinks, extractLinks, readLink, type ReadParameter } from '@tracheon/core/links';
import { computed, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { useSession } from '../../app/session.ts';
import CopyButton from '../../ui/CopyButton.vue';
import LinkText from '../../ui/LinkText.vue';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import ReadLinkView from './ReadLinkView.vue';
import TryOutNav from './TryOutNav.vue';
import { addParameters } from './addParameters.ts';

const router = useRouter();
const session = useSession();
const text = ref(sessionStorage.getItem('link reader') ?? '');
watch(text, (now) => sessionStorage.setItem('link reader', now.slice(0, 100_000)));
const found = computed(() => extractLinks(text.value).map((f) => ({ ...f, read: readLink(f.link) })));
const at = ref(0);
const second = ref(-1);
const picked = ref<ReadParameter[]>([]);
watch(found, () => {
  at.value = 0;
  second.value = -1;
  picked.value = [];
});
const shown = computed(() => found.value[at.value]);
const compared = computed(() => {
  const other = found.value[second.value];
  return shown.value && other ? compareLinks(shown.value.read, other.read) : null;
});
const onlyDifferences = ref(true);
const target = ref('');
const built = computed(() => addParameters(target.value.trim(), picked.value));
const fromWords = {
  img: 'from an img tag',
  script: 'from a script tag',
  iframe: 'from an iframe',
  a: 'from a link',
  form: 'from a form',
  link: 'from a link tag',
  text: '',
};
const example =
  'https://feed.example/s?src=tide&kw1=rye%2520starter&kw2=oat+bread&to=https%3A%2F%2Fshop.example%2Fp%3Fsid%3D%7BCLICK%7D';
const EXAMPLE_LINK = 'https://go.network.example/o/1';
</script>
<template>
  <PageHead
    title="Link reader"
    says="Paste a link, several links or a tag to see its parts decoded. Tracheon does not open the links."
  />
  <TryOutNav class="bar" />
  <div class="stack">
    <section class="sheet pad">
      <label for="pasted" class="visually-hidden">Links or tags</label>
      <Textarea
        id="pasted"
        v-model="text"
        rows="3"
        class="mono-input wide"
        spellcheck="false"
        placeholder="A link, several lines of links, or an image or script tag"
      />
    </section>
    <StateBlock
      v-if="found.length === 0"
      class="sheet"
      state="empty"
      :title="text.trim() === '' ? 'Nothing pasted yet' : 'No link in this text'"
      words="Paste an offer link, a long search-feed link or a pixel tag. Tracheon decodes the values, opens links inside links and marks macros."
    >
      <Button @click="text = example">Show an example</Button>
    </StateBlock>
    <div v-else class="two">
      <section class="sheet pad" aria-label="Link contents">
        <div v-if="found.length > 1" class="row choose">
          <label
            >Link
            <PickOne
              v-model="at"
              :options="[...found.map((f, i) => ({ value: i, label: `${i + 1} · ${f.link.slice(0, 60)}` }))]"
          /></label>
          <label
            >compared with
            <PickOne
              v-model="second"
              :options="[
                { value: -1, label: 'none' },
                ...found
                  .map((f, i) => ({ value: i, label: `${i + 1} · ${f.link.slice(0, 60)}` }))
                  .filter((choice) => choice.value !== at),
              ]"
          /></label>
        </div>
        <template v-if="shown">
          <p v-if="fromWords[shown.from]" class="quiet">{{ fromWords[shown.from] }}</p>
          <ListTable
            v-if="compared"
            :rows="compared.filter((row) => !onlyDifferences || !row.same)"
            :row-key="(c) => c.name"
            label="The two links compared"
            :columns="[
              { key: 'name', label: 'Parameter', sort: (c) => c.name },
              { key: 'first', label: String(at + 1) },
              { key: 'second', label: String(second + 1) },
            ]"
          >
            <template #empty
              ><p class="quiet">Both links have the same parameters with the same values.</p></template
            >
            <template #name="{ row }"><span class="mono">{{ row.name }}</span></template>
            <template #first="{ row }"><span class="mono">{{ row.first ?? '–' }}</span></template>
            <template #second="{ row }"
              ><span class="mono">{{ row.second ?? '–' }}</span>
              <span v-if="row.same" class="quiet"> same</span></template
            >
          </ListTable>
          <label v-if="compared" class="row quiet"
            ><Checkbox v-model="onlyDifferences" binary /> Only show differences</label
          >
          <ReadLinkView v-else v-model:picked="picked" :link="shown.read" />
        </template>
      </section>
      <section class="sheet pad take" aria-label="Use values in your own link">
        <h2>Use values in your own link</h2>
        <p class="quiet">Select parameters to add them to a link of your own.</p>
        <label for="target">Your link</label>
        <Textarea
          id="target"
          v-model="target"
          rows="2"
          class="mono-input wide"
          spellcheck="false"
          :placeholder="EXAMPLE_LINK"
        />
        <template v-if="built">
          <LinkText :link="built" expander="we" />
          <div class="row">
            <CopyButton :text="built" label="Copy" hint="The link with the values" />
            <Button
              v-if="session.canEdit"
              @click="router.push({ path: '/parts/offer', query: { new: '1', link: built } })"
            >
              New offer with this link
            </Button>
          </div>
        </template>
        <p v-else class="quiet">
          {{
            picked.length === 0
              ? 'No parameters selected yet.'
              : `${picked.length} selected. Now paste your link.`
          }}
        </p>
      </section>
    </div>
  </div>
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
.wide {
  width: 100%;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 2fr) minmax(260px, 1fr);
  gap: 12px;
  align-items: start;
}
.take {
  display: grid;
  gap: 8px;
}
.choose {
  margin-bottom: 10px;
  gap: 14px;
}
.choose select {
  width: 260px;
}
td.mono,
th.mono {
  overflow-wrap: anywhere;
  white-space: normal;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
