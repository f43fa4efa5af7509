<script setup lang="ts">
/** Go, create, copy a link, search: everything from one field. A pasted click ID, transaction or link goes to what it belongs to. */
import InputText from 'primevue/inputtext';
import type { FoundThings } from '@tracheon/core/contract';
import Dialog from 'primevue/dialog';
import { useToast } from 'primevue/usetoast';
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import VisitSheet from '../../shared/VisitSheet.vue';
import { choicesOf, isFindable, matching, type Choice } from './choices.ts';
import { keysOpen, openPalette, paletteOpen } from './palette.ts';
import { recent, remember } from './recent.ts';

const MOST = 12;
const TYPING_PAUSE_MS = 200;
const router = useRouter();
const parts = useParts();
const session = useSession();
const toast = useToast();
const text = ref('');
const at = ref(0);
const opened = ref('');
const visitOpen = ref(false);

type Offered = Choice & { run?: () => void };
const choices = computed(() =>
  choicesOf({
    parts: parts.all,
    canEdit: session.canEdit,
    trackingOrigin: session.me?.trackingOrigin ?? '',
  }),
);
/** What the server knows of the text: visits, conversions, campaigns by their links. */
const things = ref<FoundThings['rows']>([]);
let timer: ReturnType<typeof setTimeout> | undefined;
watch(text, (now) => {
  clearTimeout(timer);
  things.value = [];
  if (!isFindable(now)) return;
  timer = setTimeout(async () => {
    const answer = await ask('find', { query: { text: now.trim().slice(0, 8000) } }).catch(() => null);
    if (text.value === now && answer) things.value = answer.rows;
  }, TYPING_PAUSE_MS);
});
const places: Record<FoundThings['rows'][number]['what'], (id: string, title: string) => string> = {
  visit: () => '',
  conversion: (id, title) => (id === '' ? `/conversions/all?search=${encodeURIComponent(title)}` : ''),
  postback: (id) =>
    `/conversions/postbacks-in?open=${id}&search=${encodeURIComponent(text.value.trim().slice(0, 200))}`,
  campaign: (id) => `/campaigns/${id}`,
  network: (id) => `/parts/network?open=${id}`,
  'landing-page': (id) => `/parts/landing-page?open=${id}`,
};
const offeredThings = computed<Offered[]>(() =>
  things.value.map((t) => {
    const to = places[t.what](t.id, t.title);
    return to === ''
      ? { words: `Trail of ${t.title}`, note: t.says, run: () => openTrail(t.id) }
      : { words: t.title, note: t.says, to };
  }),
);
function openTrail(clickId: string): void {
  opened.value = clickId;
  visitOpen.value = true;
}
const found = computed<Offered[]>(() => {
  const typed = text.value.trim();
  if (typed === '') {
    const last = recent.value.map((r): Offered => ({ words: r.words, note: 'lately', to: r.to }));
    return [...last, ...choices.value].slice(0, MOST);
  }
  const keys: Offered = { words: 'All keys', note: 'go', run: () => void (keysOpen.value = true) };
  const search: Offered = {
    words: `Search conversions for “${typed.slice(0, 60)}”`,
    note: 'search',
    to: `/conversions/all?search=${encodeURIComponent(typed.slice(0, 200))}`,
  };
  return [
    ...offeredThings.value,
    ...matching([...choices.value, keys], typed, MOST),
    ...(typed.length > 2 ? [search] : []),
  ];
});
watch(text, () => (at.value = 0));
watch(paletteOpen, (open) => {
  if (open) [text.value, at.value] = ['', 0];
});
function take(choice: Offered | undefined): void {
  if (!choice) return;
  paletteOpen.value = false;
  if (choice.to !== undefined) {
    if (choice.note !== 'search' && choice.note !== 'create') remember(choice.words, choice.to);
    void router.push(choice.to);
  } else if (choice.copies !== undefined) void copy(choice);
  else choice.run?.();
}
async function copy({ words, copies = '' }: Choice): Promise<void> {
  await navigator.clipboard.writeText(copies).then(
    () =>
      toast.add({
        severity: 'secondary',
        summary: 'Copied',
        detail: words.replace(/^Copy /, ''),
        life: 3000,
      }),
    () =>
      toast.add({
        severity: 'error',
        summary: 'Your browser blocked copying',
        detail: copies,
        life: 9000,
      }),
  );
}
function move(by: number): void {
  at.value = (at.value + by + found.value.length) % Math.max(1, found.value.length);
}
function onKey(e: KeyboardEvent): void {
  if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'k') {
    e.preventDefault();
    if (session.me) openPalette();
  }
}
onMounted(() => window.addEventListener('keydown', onKey));
onBeforeUnmount(() => window.removeEventListener('keydown', onKey));
</script>
<template>
  <Dialog
    v-model:visible="paletteOpen"
    modal
    header="Go, create, copy, search"
    :style="{ width: 'min(560px, 94vw)' }"
    position="top"
    :draggable="false"
    dismissable-mask
  >
    <InputText
      v-model="text"
      autofocus
      role="combobox"
      aria-label="Go, create, copy, search"
      aria-expanded="true"
      aria-controls="palette-list"
      :aria-activedescendant="found.length ? `palette-${at}` : undefined"
      placeholder="A name, an action, a click ID, a transaction, a link"
      @keydown.down.prevent="move(1)"
      @keydown.up.prevent="move(-1)"
      @keydown.enter.prevent="take(found[at])"
    />
    <ul id="palette-list" role="listbox" aria-label="Choices">
      <li
        v-for="(c, i) in found"
        :id="`palette-${i}`"
        :key="`${c.note}|${c.words}|${i}`"
        role="option"
        :aria-selected="i === at"
        @click="take(c)"
        @mousemove="at = i"
      >
        <span class="words">{{ c.words }}</span><span class="quiet note">{{ c.note }}</span>
      </li>
    </ul>
    <p v-if="found.length === 0" class="quiet">Nothing found.</p>
  </Dialog>
  <VisitSheet v-if="opened" v-model:open="visitOpen" :click-id="opened" />
</template>
<style scoped>
ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 5px 8px;
  border-radius: 4px;
  cursor: pointer;
}
.words {
  overflow-wrap: anywhere;
}
.note {
  text-align: right;
  flex: none;
  max-width: 55%;
}
li[aria-selected='true'] {
  background: var(--tint);
}
</style>
