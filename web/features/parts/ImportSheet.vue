<script setup lang="ts">
/** Records out of a file: looked at first, line by line, then made all together or not at all. */
import ListTable from '../../ui/ListTable.vue';
import FileButton from '../../ui/FileButton.vue';
import Checkbox from 'primevue/checkbox';
import Button from 'primevue/button';
import type { ImportAnswer } from '@tracheon/core/contract';
import { Check, CircleAlert, SkipForward } from '@lucide/vue';
import { useToast } from 'primevue/usetoast';
import { computed, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import SideSheet from '../../ui/SideSheet.vue';
import { readPartsFile } from './partsFile.ts';

const open = defineModel<boolean>('open', { required: true });
const parts = useParts();
const toast = useToast();
const file = ref<unknown>(null);
const existing = ref<'refuse' | 'skip'>('refuse');
const answer = ref<ImportAnswer | null>(null);
const failure = ref('');
const busy = ref(false);
const MAX_FILE = 240 * 1024;

async function run(dryRun: boolean): Promise<void> {
  if (file.value === null || busy.value) return;
  busy.value = true;
  failure.value = '';
  try {
    answer.value = await ask('importParts', {
      body: { file: file.value, existing: existing.value, dryRun },
    });
    if (!answer.value.done) return;
    await parts.load();
    toast.add({
      severity: 'secondary',
      summary: 'File imported',
      detail: `${made.value} records created.`,
      life: 5000,
    });
    open.value = false;
  } catch (error) {
    failure.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
async function choose(chosen: File): Promise<void> {
  [file.value, answer.value, failure.value] = [null, null, ''];
  try {
    if (chosen.size > MAX_FILE)
      throw new Error(
        `This file has ${Math.round(chosen.size / 1024)} KiB; the limit is 240 KiB. Split the file.`,
      );
    file.value = readPartsFile(await chosen.text());
    await run(true);
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
const lines = computed(() => (answer.value?.rows ?? []).map((r, i) => ({ ...r, line: i + 1 })));
const made = computed(() => answer.value?.rows.filter((r) => r.action === 'create').length ?? 0);
const refused = computed(() => answer.value?.rows.filter((r) => r.action === 'refused').length ?? 0);
const icons = { create: Check, skip: SkipForward, refused: CircleAlert };
const words = { create: 'will be created', skip: 'already exists, skipped', refused: 'can’t be imported' };
</script>
<template>
  <SideSheet
    v-model:open="open"
    title="Import file"
    says="Import a JSON or CSV file exported from this or another desk. Tracheon shows a preview before it changes anything."
  >
    <div class="stack">
      <div>
        <FileButton label="Choose file" accept=".json,.csv,application/json,text/csv" @pick="choose" />
      </div>
      <label class="row"
        ><Checkbox v-model="existing" true-value="skip" false-value="refuse" binary @change="run(true)" />
        Skip records whose name the desk already has</label
      >
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <template v-if="answer">
        <p aria-live="polite">
          <strong>{{ made }} to create</strong
          ><span v-if="refused" class="error">
            · {{ refused }} can’t be imported. Fix them first; Tracheon imports all records or none.</span
          >
        </p>
        <ListTable
          :rows="lines"
          :row-key="(r) => String(r.line)"
          label="Records in the file"
          :columns="[
            { key: 'line', label: 'Line', num: true, sort: (r) => r.line },
            { key: 'kind', label: 'Kind', sort: (r) => r.kind },
            { key: 'name', label: 'Name', sort: (r) => r.name },
            { key: 'action', label: 'What happens', sort: (r) => r.action },
          ]"
        >
          <template #line="{ row }">{{ row.line }}</template>
          <template #kind="{ row }">{{ row.kind.replace('-', ' ') }}</template>
          <template #name="{ row }"><strong>{{ row.name }}</strong></template>
          <template #action="{ row }"
            ><div :class="{ error: row.action === 'refused' }">
              <component :is="icons[row.action]" :size="14" aria-hidden="true" /> {{ words[row.action] }}
              <div v-for="e in row.errors" :key="e.path + e.message">{{ e.path }}: {{ e.message }}</div>
              <div v-if="row.unread.length" class="quiet">ignored: {{ row.unread.join(', ') }}</div>
            </div></template
          >
        </ListTable>
        <p>
          <Button :disabled="refused > 0 || made === 0 || busy" @click="run(false)">
            Import {{ made }} records
          </Button>
        </p>
      </template>
    </div>
  </SideSheet>
</template>
<style scoped>
.file {
  display: grid;
  gap: 4px;
  font-weight: 600;
}
td,
th {
  white-space: normal;
  vertical-align: top;
  height: auto;
  padding: 5px 8px 5px 0;
}
</style>
