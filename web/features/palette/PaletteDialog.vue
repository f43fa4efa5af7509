<script setup lang="ts">
/** Go, create, copy a link, search: everything from one field. A pasted click ID leads to its visit. */
import type { PartRecord } from '@tracheon/core/contract';
import { parseClickId } from '@tracheon/core/identity';
import { trackingLink } from '@tracheon/core/links';
import Dialog from 'primevue/dialog';
import { useToast } from 'primevue/usetoast';
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { keysOpen, openPalette, paletteOpen } from './palette.ts';

interface Choice {
  words: string;
  note: string;
  run: () => void | Promise<unknown>;
}
const router = useRouter();
const parts = useParts();
const session = useSession();
const toast = useToast();
const text = ref('');
const at = ref(0);
const go = (to: string) => () => router.push(to);

async function copyLink(c: PartRecord<'campaign'>): Promise<void> {
  const source = parts.one('source', c.body.sourceId);
  if (!source) return;
  await navigator.clipboard.writeText(trackingLink(session.me?.trackingOrigin ?? '', c.key, source.body));
  toast.add({
    severity: 'secondary',
    summary: 'Copied',
    detail: `Tracking link of ${c.body.name}`,
    life: 3000,
  });
}
const partWords = {
  network: 'network',
  source: 'source',
  'landing-page': 'landing page',
  offer: 'offer',
  'event-type': 'event type',
} as const;
const choices = computed<Choice[]>(() => {
  const list: Choice[] = [
    ...(['Today', 'Campaigns', 'Parts'] as const).map((w) => ({
      words: w,
      note: 'go',
      run: go(`/${w.toLowerCase()}`),
    })),
    { words: 'Calls in', note: 'go', run: go('/conversions/calls-in') },
    { words: 'Booked', note: 'go', run: go('/conversions/booked') },
    { words: 'Calls out', note: 'go', run: go('/conversions/calls-out') },
    { words: 'Link reader', note: 'go', run: go('/try/link-reader') },
    { words: 'Desk, members, rates', note: 'go', run: go('/desk') },
    { words: 'All keys', note: 'go', run: () => void (keysOpen.value = true) },
  ];
  if (session.canEdit) {
    list.push({ words: 'New campaign', note: 'create', run: go('/campaigns?new=1') });
    for (const [kind, word] of Object.entries(partWords))
      list.push({ words: `New ${word}`, note: 'create', run: go(`/parts/${kind}?new=1`) });
  }
  for (const c of parts.of('campaign')) {
    list.push({ words: c.body.name, note: 'campaign', run: go(`/campaigns/${c.id}`) });
    list.push({ words: `Copy the link of ${c.body.name}`, note: 'copy', run: () => copyLink(c) });
  }
  for (const kind of ['network', 'source', 'landing-page', 'offer', 'event-type'] as const)
    for (const p of parts.of(kind))
      list.push({ words: p.body.name, note: partWords[kind], run: go(`/parts/${kind}?open=${p.id}`) });
  return list;
});
const found = computed<Choice[]>(() => {
  const clickId = parseClickId(text.value);
  if (clickId)
    return [
      {
        words: `Calls in about ${clickId}`,
        note: 'click ID',
        run: go(`/conversions/calls-in?search=${clickId}`),
      },
      {
        words: `Conversions of ${clickId}`,
        note: 'click ID',
        run: go(`/conversions/booked?search=${clickId}`),
      },
    ];
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean);
  const hits = choices.value.filter((c) =>
    words.every((w) => `${c.words} ${c.note}`.toLowerCase().includes(w)),
  );
  const rest: Choice[] =
    text.value.trim().length > 2
      ? [
          {
            words: `Search booked conversions for “${text.value.trim()}”`,
            note: 'search',
            run: go(`/conversions/booked?search=${encodeURIComponent(text.value.trim())}`),
          },
        ]
      : [];
  return [...hits.slice(0, 12), ...rest];
});
watch(text, () => (at.value = 0));
watch(paletteOpen, (open) => {
  if (open) [text.value, at.value] = ['', 0];
});
function take(choice: Choice | undefined): void {
  if (!choice) return;
  paletteOpen.value = false;
  void choice.run();
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
    <input
      v-model="text"
      autofocus
      role="combobox"
      aria-label="Go, create, copy, search"
      aria-expanded="true"
      aria-controls="palette-list"
      :aria-activedescendant="found.length ? `palette-${at}` : undefined"
      placeholder="A name, an action, or a click ID"
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
        <span>{{ c.words }}</span><span class="quiet">{{ c.note }}</span>
      </li>
    </ul>
    <p v-if="found.length === 0" class="quiet">Nothing by this name.</p>
  </Dialog>
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
li[aria-selected='true'] {
  background: var(--tint);
}
</style>
