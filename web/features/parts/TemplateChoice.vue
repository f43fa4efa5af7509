<script setup lang="ts">
/** Templates: choose one, see what it will set, begin a new record with it. */
import InputText from 'primevue/inputtext';
import Button from 'primevue/button';
import FileButton from '../../ui/FileButton.vue';
import {
  networkInput,
  postbackFields,
  sourceInput,
  type TemplateRow,
  wholeBody,
} from '@tracheon/core/contract';
import { postbackFieldLabels } from '@tracheon/core/conversions';
import { postbackUrl, trackingLink } from '@tracheon/core/links';
import { useConfirm } from 'primevue/useconfirm';
import { computed, onMounted, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { differences } from '../../shared/differences.ts';
import { download } from '../../ui/download.ts';
import LinkText from '../../ui/LinkText.vue';
import ListTable from '../../ui/ListTable.vue';
import PickOne from '../../ui/PickOne.vue';
import SideSheet from '../../ui/SideSheet.vue';
import StateBlock from '../../ui/StateBlock.vue';

const props = defineProps<{ kind: TemplateRow['kind'] }>();
const open = defineModel<boolean>('open', { required: true });
const emit = defineEmits<{ use: [body: object] }>();
const session = useSession();
const confirm = useConfirm();
const templates = ref<TemplateRow[] | null>(null);
const failure = ref('');
const search = ref('');
const at = ref<TemplateRow | null>(null);

async function load(): Promise<void> {
  failure.value = '';
  try {
    templates.value = await ask('listTemplates');
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
onMounted(load);
const ofKind = computed(() => (templates.value ?? []).filter((t) => t.kind === props.kind));
const category = ref('');
const style = ref('');
const choicesOf = (pick: (t: TemplateRow) => string, all: string): { value: string; label: string }[] => [
  { value: '', label: all },
  ...[...new Set(ofKind.value.map(pick))]
    .filter(Boolean)
    .sort()
    .map((value) => ({ value, label: value })),
];
const shown = computed(() =>
  ofKind.value.filter(
    (t) =>
      (category.value === '' || t.category === category.value) &&
      (style.value === '' || whole(t).macroStyle === style.value) &&
      `${t.title} ${t.category} ${t.about}`.toLowerCase().includes(search.value.trim().toLowerCase()),
  ),
);
/** What a source tells, or which fields a network's postback fills. */
function reports(t: TemplateRow): string {
  if (t.kind === 'network') {
    const { fields } = networkInput.parse(t.body);
    return postbackFields
      .filter((f) => fields[f].macro !== '')
      .map((f) => postbackFieldLabels[f].toLowerCase())
      .join(', ');
  }
  const { parameters, postbackUrl: takes } = sourceInput.parse(t.body);
  const subs = parameters.filter((p) => p.role === 'sub').length;
  return [
    parameters.some((p) => p.role === 'click_id') ? 'click ID' : '',
    parameters.some((p) => p.role === 'cost') ? 'cost' : '',
    subs === 0 ? '' : subs === 1 ? '1 sub-ID' : `${subs} sub-IDs`,
    takes === '' ? 'no postback' : 'postback',
  ]
    .filter(Boolean)
    .join(', ');
}
/** What differs from an empty record; its parameters are shown as the link that they make. */
const sets = computed(() => {
  if (!at.value) return [];
  const { kind, body } = at.value;
  const whole = wholeBody(kind, body);
  return differences(wholeBody(kind, {}), whole, () => undefined).filter(
    (d) => !['parameters', 'fields', 'name'].includes(d.field),
  );
});
const link = computed(() => {
  if (!at.value) return '';
  const origin = session.me?.trackingOrigin ?? '';
  return at.value.kind === 'source'
    ? trackingLink(origin, '…', sourceInput.parse(at.value.body))
    : postbackUrl(origin, '…', networkInput.parse(at.value.body));
});
/** Whole, with every field of its lists: a template names only what it sets. */
const whole = (t: TemplateRow) =>
  t.kind === 'source' ? sourceInput.parse(t.body) : networkInput.parse(t.body);
function use(): void {
  emit('use', whole(at.value!));
  open.value = false;
}
function save(t: TemplateRow): void {
  const { format, version, kind, title, category: ofTraffic, about, body } = t;
  const file = { format, version, kind, title, category: ofTraffic, about, body };
  download(`${t.title}.template.json`, 'application/json', JSON.stringify(file, null, 2));
}
async function take(file: File): Promise<void> {
  failure.value = '';
  try {
    if (file.size > MAX_FILE) throw new Error('This file is larger than 200 KiB, so it can’t be a template.');
    let body: unknown;
    try {
      body = JSON.parse(await file.text());
    } catch {
      throw new Error('This file is not a template: it is not valid JSON.');
    }
    at.value = await ask('saveTemplate', { body });
    await load();
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
const MAX_FILE = 200 * 1024;
function remove(t: TemplateRow): void {
  confirm.require({
    header: `Remove the template ${t.title}?`,
    message: 'Records created from it stay.',
    acceptLabel: 'Remove',
    rejectLabel: 'Cancel',
    accept: async () => {
      await ask('removeTemplate', { id: t.id }).catch((e: unknown) => (failure.value = (e as Error).message));
      at.value = null;
      await load();
    },
  });
}
</script>
<template>
  <SideSheet
    v-model:open="open"
    :title="`${kind === 'source' ? 'Source' : 'Network'} from template`"
    says="Choose a template to see what it fills in. You can change everything afterwards."
  >
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <StateBlock v-if="templates === null && !failure" state="loading" />
    <div v-else-if="templates && !at" class="stack">
      <div class="row filters">
        <InputText
          v-model="search"
          type="search"
          placeholder="Search templates"
          aria-label="Search templates"
        />
        <PickOne
          v-model="category"
          :aria-label="kind === 'source' ? 'Traffic' : 'Company'"
          :options="choicesOf((t) => t.category, kind === 'source' ? 'Traffic: all' : 'Company: all')"
        />
        <PickOne
          v-model="style"
          aria-label="Macro style"
          :options="choicesOf((t) => whole(t).macroStyle, 'Macro style: all')"
        />
        <FileButton label="Import template file" accept=".json,application/json" @pick="take" />
      </div>
      <ListTable
        :rows="shown"
        :row-key="(t) => t.id || t.title"
        label="Templates"
        sort-by="title"
        :columns="[
          { key: 'title', label: 'Template', sort: (t) => t.title },
          { key: 'category', label: kind === 'source' ? 'Traffic' : 'Company', sort: (t) => t.category },
          { key: 'style', label: 'Macro style', sort: (t) => whole(t).macroStyle },
          { key: 'reports', label: 'Reports' },
        ]"
        :pick="(t) => (at = t)"
      >
        <template #empty
          ><StateBlock
            state="empty"
            title="No template matches"
            words="Change the search or the filters, or create the record from scratch."
        /></template>
        <template #title="{ row }"
          ><Button variant="link" class="nowrap" @click.stop="at = row">{{ row.title }}</Button
          ><span v-if="row.id" class="quiet"> · yours</span></template
        >
        <template #category="{ row }"><span class="nowrap">{{ row.category || '–' }}</span></template>
        <template #style="{ row }"><code>{{ whole(row).macroStyle }}</code></template>
        <template #reports="{ row }">{{ reports(row) }}</template>
      </ListTable>
    </div>
    <section v-else-if="at" aria-label="Template contents" class="stack">
      <p><Button variant="link" @click="at = null">← All templates</Button></p>
      <h3>{{ at.title }}</h3>
      <p class="quiet">{{ at.about }}</p>
      <div class="row">
        <Button @click="use">Use template</Button>
        <Button severity="secondary" @click="save(at)">Export template</Button>
        <Button severity="secondary" v-if="at.id && session.canEdit" @click="remove(at)">Remove …</Button>
      </div>
      <p class="link">
        <span class="quiet">{{ kind === 'source' ? 'Tracking link' : 'Postback URL' }}</span><br /><LinkText
          :link="link"
          expander="they"
        />
      </p>
      <dl>
        <dt>Reports</dt>
        <dd>{{ reports(at) }}</dd>
        <template v-for="d in sets" :key="d.field">
          <dt>{{ d.field }}</dt>
          <dd>{{ d.theirs }}</dd>
        </template>
      </dl>
    </section>
  </SideSheet>
</template>
<style scoped>
.filters {
  flex-wrap: wrap;
}
.filters > :deep(*) {
  flex: 1 1 140px;
  width: auto;
}
.nowrap {
  white-space: nowrap;
}
h3,
.link {
  margin: 0 0 4px;
}
dl {
  display: grid;
  grid-template-columns: 120px minmax(0, 1fr);
  gap: 3px 10px;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
