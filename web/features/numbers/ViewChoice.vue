<script setup lang="ts">
/** Views of this desk: open one, save what is shown under a name, delete one. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Popover from 'primevue/popover';
import { Bookmark, Trash2 } from '@lucide/vue';
import { useConfirm } from 'primevue/useconfirm';
import type { ViewRow } from '@tracheon/core/contract';
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { usePeriod } from '../../shared/period.ts';

const session = useSession();
const confirm = useConfirm();
const route = useRoute();
const router = useRouter();
const { text, chooseText } = usePeriod();
const views = ref<ViewRow[]>([]);
const name = ref('');
const failure = ref('');
const busy = ref(false);
const menu = ref<InstanceType<typeof Popover> | null>(null);
const PARTS = ['by', 'only', 'having', 'day', 'sort', 'chart'];
/** What the table shows, and of which period. */
const shown = computed(() => {
  const query = new URLSearchParams();
  for (const part of PARTS)
    for (const value of [route.query[part] ?? []].flat()) query.append(part, String(value));
  query.set('period', text.value);
  return query.toString();
});
const current = computed(() => views.value.find((v) => v.query === shown.value));
const replaces = computed(() =>
  views.value.some((v) => v.name.toLowerCase() === name.value.trim().toLowerCase()),
);
async function attempt(work: () => Promise<void>): Promise<void> {
  if (busy.value) return;
  busy.value = true;
  failure.value = '';
  try {
    await work();
    views.value = await ask('listViews');
  } catch (error) {
    failure.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
void attempt(() => Promise.resolve());
const save = (): Promise<void> =>
  attempt(async () => {
    await ask('saveView', { body: { name: name.value, query: shown.value } });
    name.value = '';
  });
function open(view: ViewRow): void {
  const query: Record<string, string[]> = {};
  const parameters = new URLSearchParams(view.query);
  for (const part of PARTS) if (parameters.has(part)) query[part] = parameters.getAll(part);
  chooseText(parameters.get('period') ?? '');
  menu.value?.hide();
  void router.push({ query });
}
function remove(view: ViewRow): void {
  confirm.require({
    header: `Delete the view “${view.name}”?`,
    message: 'Everybody on this desk loses it. It can’t be undone.',
    acceptLabel: 'Delete view',
    rejectLabel: 'Keep it',
    rejectProps: { severity: 'secondary', variant: 'text' },
    accept: () => void attempt(() => ask('removeView', { id: view.id }).then(() => undefined)),
  });
}
</script>
<template>
  <Button severity="secondary" aria-haspopup="dialog" @click="menu?.toggle($event)"
    ><Bookmark :size="15" aria-hidden="true" /> {{ current?.name ?? 'Views' }}</Button
  >
  <Popover ref="menu" aria-label="Views">
    <div class="views">
      <p v-if="views.length === 0" class="quiet">
        No view saved yet. A view keeps levels, filters, order and period for everybody on this desk.
      </p>
      <ul v-else>
        <li v-for="view in views" :key="view.id">
          <Button variant="link" :title="`Saved by ${view.by}`" @click="open(view)">{{ view.name }}</Button>
          <Button
            v-if="session.canEdit"
            variant="text"
            severity="secondary"
            :aria-label="`Delete view ${view.name}`"
            @click="remove(view)"
            ><Trash2 :size="14" aria-hidden="true"
          /></Button>
        </li>
      </ul>
      <form v-if="session.canEdit" class="row" @submit.prevent="save">
        <InputText
          v-model="name"
          aria-label="Name of the view"
          placeholder="Name of the view"
          :maxlength="120"
        />
        <Button type="submit" :disabled="busy || name.trim() === ''">{{
          replaces ? 'Replace view' : 'Save view'
        }}</Button>
      </form>
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    </div>
  </Popover>
</template>
<style scoped>
.views {
  display: grid;
  gap: 10px;
  min-width: 260px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 320px;
  overflow: auto;
}
li {
  display: flex;
  justify-content: space-between;
}
</style>
