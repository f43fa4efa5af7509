<script setup lang="ts">
import Button from 'primevue/button';
import PickOne from '../../ui/PickOne.vue';
import Checkbox from 'primevue/checkbox';
import InputText from 'primevue/inputtext';
import FoldBlock from '../../ui/FoldBlock.vue';
import { PARTS_SEEN_DAYS, partWords, type PartRecord } from '@tracheon/core/contract';
import { partLinks } from '@tracheon/core/parts';
import { Plus } from '@lucide/vue';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useKeys } from '../../app/keys.ts';
import { useParts } from '../../app/parts.ts';
import { useSeen } from '../../app/seen.ts';
import { useSession } from '../../app/session.ts';
import { moment } from '../../ui/format.ts';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import { provideBeginning, type Beginning } from '../../shared/newPart.ts';
import AccessList from './AccessList.vue';
import ChosenParts from './ChosenParts.vue';
import ImportSheet from './ImportSheet.vue';
import PartHistory from '../../shared/PartHistory.vue';
import RecentChanges from './RecentChanges.vue';
import TemplateChoice from './TemplateChoice.vue';
import { describePart } from './describePart.ts';
import { kinds, type Kind } from './partKinds.ts';
import { useArchiving } from './useArchiving.ts';

const parts = useParts();
const session = useSession();
const route = useRoute();
const router = useRouter();
const kind = route.params.kind as Kind;
const about = kinds[kind];
const word = partWords[kind];
const search = ref('');
const archived = ref(false);
const tag = ref('');
const open = ref(false);
const opened = ref<PartRecord | undefined>();

const tagsOf = (p: PartRecord): string[] => (p.body as { tags?: string[] }).tags ?? [];
const tags = computed(() => [...new Set(parts.of(kind).flatMap((p) => tagsOf(p as PartRecord)))].sort());
const rows = computed(() =>
  (parts.of(kind, archived.value) as PartRecord[]).filter(
    (p) => tag.value === '' || tagsOf(p).includes(tag.value),
  ),
);
const picked = ref<string[]>([]);
const chosen = computed(() => rows.value.filter((p) => picked.value.includes(p.id)));
const beginning = ref<Beginning | null>(null);
provideBeginning(beginning);
const sheet = ref<'' | 'history' | 'template' | 'import'>('');
const sheetOf = (which: typeof sheet.value) =>
  computed({ get: () => sheet.value === which, set: (isOpen) => (sheet.value = isOpen ? which : '') });
const [historyOpen, templateOpen, importOpen] = [sheetOf('history'), sheetOf('template'), sheetOf('import')];
const templateKind = kind === 'source' || kind === 'network' ? kind : null;
const seen = useSeen();
const columns: Column<PartRecord>[] = [
  { key: 'name', label: 'Name', sort: (p) => p.body.name, fixed: true },
  { key: 'what', label: 'Summary' },
  { key: 'used', label: 'Used by', num: true, sort: (p) => usedBy(p).length },
  { key: 'seen', label: 'Last seen', num: true, sort: (p) => seen.at(p.id) },
  { key: 'changed', label: 'Changed', num: true, sort: (p) => p.updatedAt },
  { key: 'acts', label: '(actions)' },
];
/** Which records use each record. Computed once for all rows: reading every record again for each row is slow. */
const users = computed(() => {
  const found = new Map<string, PartRecord[]>();
  for (const user of parts.all) {
    if (user.state === 'archived') continue;
    for (const id of new Set(partLinks(user.kind, user.body).map((link) => link.id))) {
      const others = found.get(id);
      if (others) others.push(user);
      else found.set(id, [user]);
    }
  }
  return found;
});
const usedBy = (p: PartRecord): PartRecord[] => users.value.get(p.id) ?? [];
function create(from: Beginning | null = null): void {
  if (!session.canEdit) return;
  beginning.value = from;
  opened.value = undefined;
  open.value = true;
}
/** The next one from this one: everything but its name. */
function duplicate(p: PartRecord): void {
  create({
    key: `copy.${p.id}`,
    body: { ...JSON.parse(JSON.stringify(p.body)), name: freeName(p.body.name) },
  });
}
function freeName(name: string): string {
  const taken = new Set(parts.of(kind).map((p) => p.body.name.toLowerCase()));
  const stem = name.replace(/ \d+$/, '');
  for (let n = 2; ; n++) if (!taken.has(`${stem} ${n}`.toLowerCase())) return `${stem} ${n}`;
}
function edit(p: PartRecord): void {
  opened.value = p;
  open.value = true;
}
function showHistory(id: string): void {
  const part = parts.byId.get(id);
  if (part) history(part);
}
function history(p: PartRecord): void {
  opened.value = p;
  sheet.value = 'history';
}
watch(
  [() => route.query.new, () => route.query.open, () => parts.state],
  () => {
    if (route.query.new === '1') create();
    const wanted = parts.byId.get(String(route.query.open ?? ''));
    if (wanted) edit(wanted);
  },
  { immediate: true },
);
watch(open, (now) => {
  if (!now && (route.query.new || route.query.open)) void router.replace({ path: route.path });
});
/** A new record's form stays as it is: what it begins with is no longer asked for. */
function saved(record: PartRecord): void {
  beginning.value = null;
  opened.value = record;
}
const shownHistory = computed(() => parts.byId.get(opened.value?.id ?? ''));
const placeOf = (p: PartRecord): string =>
  p.kind === 'campaign' ? `/campaigns/${p.id}` : `/parts/${p.kind}?open=${p.id}`;
const { archive, change } = useArchiving();
useKeys([{ key: 'n', words: `New ${word}`, run: () => create() }]);
</script>
<template>
  <PageHead :title="about.many" :says="about.says">
    <Button severity="secondary" v-if="session.canEdit" @click="sheet = 'import'">Import file</Button>
    <Button severity="secondary" v-if="session.canEdit && templateKind" @click="sheet = 'template'">
      New from template
    </Button>
    <Button v-if="session.canEdit" @click="create()">
      <Plus :size="16" aria-hidden="true" /> New {{ word }} <kbd>N</kbd>
    </Button>
  </PageHead>
  <div class="row spread bar">
    <nav class="segments" aria-label="Kinds of parts">
      <RouterLink v-for="(k, key) in kinds" :key="key" :to="`/parts/${key}`"
        >{{ k.many }} <span v-if="parts.state === 'ready'">{{ parts.of(key).length }}</span></RouterLink
      >
    </nav>
    <div class="row">
      <PickOne
        v-if="tags.length"
        v-model="tag"
        aria-label="Tag"
        :options="[{ value: '', label: 'any tag' }, ...tags.map((t) => ({ value: t, label: t }))]"
      />
      <label class="row quiet"><Checkbox v-model="archived" binary /> Show archived</label>
      <InputText
        v-model="search"
        class="search"
        type="search"
        :placeholder="`Search ${about.many.toLowerCase()}`"
        :aria-label="`Search ${about.many.toLowerCase()}`"
      />
    </div>
  </div>
  <ChosenParts
    v-if="chosen.length"
    :chosen="chosen"
    :many="about.many"
    :of="rows.length"
    @all="picked = rows.map((p) => p.id)"
    @done="picked = []"
  />
  <AccessList v-if="kind === 'partner'" class="asked" />
  <section class="sheet" :aria-label="about.many">
    <ListTable
      :rows="rows"
      :columns="columns"
      :state="parts.state"
      :failure="parts.failure"
      v-model:chosen="picked"
      :name="`parts.${kind}`"
      :label="about.many"
      :choose-as="(p) => p.body.name"
      sort-by="name"
      :search="search"
      :text="(p) => `${p.body.name} ${describePart(p, parts.byId)} ${tagsOf(p).join(' ')}`"
      @again="parts.load"
    >
      <template #empty>
        <StateBlock
          state="empty"
          :title="`No ${word} yet`"
          :words="`${about.says} For example: ${about.example}`"
        >
          <Button v-if="session.canEdit" @click="create()"> New {{ word }} </Button>
        </StateBlock>
      </template>
      <template #name="{ row }"
        ><Button variant="link" class="name" @click="edit(row)">{{ row.body.name }}</Button
        ><span v-if="row.state === 'archived'" class="quiet"> · archived</span></template
      >
      <template #what="{ row }"
        >{{ describePart(row, parts.byId) }}
        <span v-for="t in tagsOf(row)" :key="t" class="tag">{{ t }}</span></template
      >
      <template #used="{ row }">
        <span v-if="usedBy(row).length === 0">–</span>
        <FoldBlock :title="String(usedBy(row).length)" v-else class="users">
          <RouterLink v-for="u in usedBy(row)" :key="u.id" :to="placeOf(u)">{{ u.body.name }}</RouterLink>
        </FoldBlock>
      </template>
      <template #seen="{ row }">
        <span v-if="seen.at(row.id)">{{ moment(seen.at(row.id), session.desk.zone) }}</span>
        <span v-else class="quiet" :title="`Not in the last ${PARTS_SEEN_DAYS} days`">–</span>
      </template>
      <template #changed="{ row }">{{ moment(row.updatedAt, session.desk.zone) }}</template>
      <template #acts="{ row }">
        <Button
          variant="link"
          v-if="session.canEdit"
          :aria-label="`Duplicate ${row.body.name}`"
          @click="duplicate(row)"
        >
          Duplicate
        </Button>
        <Button variant="link" :aria-label="`History of ${row.body.name}`" @click="history(row)">
          History
        </Button>
        <Button
          variant="link"
          v-if="session.canEdit && row.state !== 'archived'"
          :aria-label="`Archive ${row.body.name}`"
          @click="archive(row)"
        >
          Archive
        </Button>
        <Button
          variant="link"
          v-if="session.canEdit && row.state === 'archived'"
          :aria-label="`Restore ${row.body.name}`"
          @click="change(row, 'live')"
        >
          Restore
        </Button>
      </template>
    </ListTable>
  </section>
  <RecentChanges v-if="parts.of(kind, true).length" :kind="kind" @history="showHistory" />
  <component
    :is="about.form"
    v-if="open"
    :key="opened?.id ?? beginning?.key ?? 'new'"
    v-model:open="open"
    :part="opened"
    @saved="saved"
  />
  <PartHistory v-if="historyOpen && shownHistory" v-model:open="historyOpen" :part="shownHistory" />
  <TemplateChoice
    v-if="templateOpen && templateKind"
    v-model:open="templateOpen"
    :kind="templateKind"
    @use="create({ key: `template.${($event as { name: string }).name}`, body: $event })"
  />
  <ImportSheet v-if="importOpen" v-model:open="importOpen" />
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
.asked {
  margin-bottom: 10px;
}
.search {
  width: 190px;
}
.name {
  font-weight: 600;
}
.tag {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 0 5px;
  margin-left: 4px;
  font-size: 12px;
  color: var(--quiet);
}
.users a {
  display: block;
}
.segments span {
  font-weight: 500;
}
</style>
