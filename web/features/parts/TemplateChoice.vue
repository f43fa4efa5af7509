<script setup lang="ts">
/** Templates: choose one, see what it will set, begin a new record with it. */
import InputText from 'primevue/inputtext';
import Button from 'primevue/button';
import FileButton from '../../ui/FileButton.vue';
import { networkInput, sourceInput, type TemplateRow, wholeBody } from '@tracheon/core/contract';
import { postbackUrl, trackingLink } from '@tracheon/core/links';
import { useConfirm } from 'primevue/useconfirm';
import { computed, onMounted, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { differences } from '../../shared/differences.ts';
import { download } from '../../ui/download.ts';
import LinkText from '../../ui/LinkText.vue';
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
const shown = computed(() =>
  (templates.value ?? []).filter(
    (t) =>
      t.kind === props.kind &&
      `${t.title} ${t.about}`.toLowerCase().includes(search.value.trim().toLowerCase()),
  ),
);
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
  const { format, version, kind, title, about, body } = t;
  const file = { format, version, kind, title, about, body };
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
    <div v-else-if="templates" class="choice">
      <div>
        <InputText
          v-model="search"
          type="search"
          placeholder="Search templates"
          aria-label="Search templates"
        />
        <ul aria-label="Templates">
          <li v-for="t in shown" :key="t.id || t.title">
            <Button variant="link" :aria-pressed="at === t" @click="at = t">{{ t.title }}</Button>
            <span v-if="t.id" class="quiet"> · yours</span>
          </li>
          <li v-if="shown.length === 0" class="quiet">Nothing matches “{{ search }}”.</li>
        </ul>
        <FileButton label="Import template file" accept=".json,application/json" @pick="take" />
      </div>
      <section v-if="at" aria-label="Template contents">
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
          <template v-for="d in sets" :key="d.field">
            <dt>{{ d.field }}</dt>
            <dd>{{ d.theirs }}</dd>
          </template>
        </dl>
      </section>
      <p v-else class="quiet">Choose a template on the left.</p>
    </div>
  </SideSheet>
</template>
<style scoped>
.choice {
  display: grid;
  grid-template-columns: 210px minmax(0, 1fr);
  gap: 18px;
}
ul {
  list-style: none;
  margin: 8px 0;
  padding: 0;
  display: grid;
  gap: 2px;
}
[aria-pressed='true'] {
  font-weight: 700;
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
.file {
  display: grid;
  gap: 4px;
  font-size: 12px;
  margin-top: 12px;
}
</style>
