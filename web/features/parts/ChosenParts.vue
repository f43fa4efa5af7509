<script setup lang="ts">
/** What can be done with several records at once: tag, archive, save as a file. */
import InputText from 'primevue/inputtext';
import Button from 'primevue/button';
import { PORTABLE_VERSION, type PartRecord } from '@tracheon/core/contract';
import { useConfirm } from 'primevue/useconfirm';
import { computed, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { download } from '../../ui/download.ts';
import { toCsv } from './partsFile.ts';
import { counted } from '../../ui/format.ts';

const props = defineProps<{ chosen: PartRecord[]; many: string; of: number }>();
const emit = defineEmits<{ done: []; all: [] }>();
const parts = useParts();
const session = useSession();
const confirm = useConfirm();
const tag = ref('');
const said = ref('');

/** One after the other; what did not work is said by name, and the rest is done. */
async function each(words: string, act: (p: PartRecord) => Promise<unknown>): Promise<void> {
  const failed: string[] = [];
  let done = 0;
  for (const p of props.chosen) {
    said.value = `${words}: ${++done} of ${props.chosen.length} …`;
    await act(p).catch((e: unknown) => failed.push(`${p.body.name}: ${(e as Error).message}`));
  }
  said.value = failed.length === 0 ? `${words}: ${done} done.` : failed.join(' ');
  if (failed.length === 0) emit('done');
}
const tagsOf = (p: PartRecord): string[] => (p.body as { tags?: string[] }).tags ?? [];
async function addTag(): Promise<void> {
  const word = tag.value.trim();
  if (word === '') return;
  await each(`Tagged “${word}”`, (p) =>
    tagsOf(p).includes(word)
      ? Promise.resolve()
      : parts.update(p, { ...p.body, tags: [...tagsOf(p), word] }, p.version),
  );
  tag.value = '';
}
function archive(): void {
  confirm.require({
    header: `Archive ${counted(props.chosen.length, 'record')}?`,
    message:
      'Records in use are not archived; Tracheon lists them. You can restore archived records at any time.',
    acceptLabel: 'Archive',
    rejectLabel: 'Cancel',
    accept: () => void each('Archived', (p) => parts.setState(p, 'archived')),
  });
}
/** A single source or network can be kept as a template. */
const template = computed(() => {
  const [only, ...more] = props.chosen;
  return more.length === 0 && (only?.kind === 'source' || only?.kind === 'network') ? only : null;
});
async function keepAsTemplate(p: PartRecord): Promise<void> {
  try {
    const { parts: portable } = await ask('exportParts', { body: { ids: [p.id] } });
    // Event types are this desk's own: a template names none.
    const body = { ...portable[0]!.body, eventWords: [], reportEvents: [] };
    await ask('saveTemplate', {
      body: {
        format: 'tracheon-template',
        version: PORTABLE_VERSION,
        kind: p.kind,
        title: p.body.name,
        body: Object.fromEntries(Object.entries(body).filter(([key]) => key in p.body)),
      },
    });
    said.value = `${p.body.name} is a template now.`;
  } catch (error) {
    said.value = (error as Error).message;
  }
}
async function save(as: 'json' | 'csv'): Promise<void> {
  try {
    const file = await ask('exportParts', { body: { ids: props.chosen.map((p) => p.id) } });
    const name = `${props.many.toLowerCase().replace(/\W+/g, '-')}.${as}`;
    if (as === 'csv') download(name, 'text/csv', toCsv(file));
    else download(name, 'application/json', JSON.stringify(file, null, 2));
  } catch (error) {
    said.value = (error as Error).message;
  }
}
</script>
<template>
  <div class="chosen row" role="region" aria-label="Chosen records">
    <strong>{{ chosen.length }} chosen</strong>
    <template v-if="session.canEdit">
      <form class="row" @submit.prevent="addTag">
        <InputText v-model="tag" placeholder="tag" aria-label="Tag for all chosen" maxlength="40" />
        <Button severity="secondary" type="submit">Add tag</Button>
      </form>
      <Button severity="secondary" @click="archive">Archive …</Button>
    </template>
    <Button severity="secondary" v-if="session.canEdit && template" @click="keepAsTemplate(template)">
      Save as template
    </Button>
    <Button severity="secondary" @click="save('json')">Export JSON</Button>
    <Button severity="secondary" @click="save('csv')">Export CSV</Button>
    <Button variant="link" v-if="chosen.length < of" @click="emit('all')"> Choose all {{ of }} </Button>
    <Button variant="link" @click="emit('done')">Choose none</Button>
    <span class="quiet" aria-live="polite">{{ said }}</span>
  </div>
</template>
<style scoped>
.chosen {
  flex-wrap: wrap;
  background: var(--tint);
  border-radius: 6px;
  padding: 8px 12px;
  margin-bottom: 10px;
}
input {
  width: 120px;
}
</style>
