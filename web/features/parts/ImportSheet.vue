<script setup lang="ts">
/** Records out of a file: looked at first, line by line, then made all together or not at all. */
import type { ImportAnswer } from '@tracheon/core/contract';
import { Check, CircleAlert, SkipForward } from '@lucide/vue';
import { useToast } from 'primevue/usetoast';
import { computed, ref } from 'vue';
import { api } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import SideSheet from '../../shared/SideSheet.vue';
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

async function ask(dryRun: boolean): Promise<void> {
  if (file.value === null || busy.value) return;
  busy.value = true;
  failure.value = '';
  try {
    answer.value = await api.post<ImportAnswer>('/parts-import', {
      file: file.value,
      existing: existing.value,
      dryRun,
    });
    if (!answer.value.done) return;
    await parts.load();
    toast.add({
      severity: 'secondary',
      summary: 'Taken in',
      detail: `${made.value} records made.`,
      life: 5000,
    });
    open.value = false;
  } catch (error) {
    failure.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
async function choose(event: Event): Promise<void> {
  const chosen = (event.target as HTMLInputElement).files?.[0];
  if (!chosen) return;
  [file.value, answer.value, failure.value] = [null, null, ''];
  try {
    if (chosen.size > MAX_FILE)
      throw new Error(
        `This file has ${Math.round(chosen.size / 1024)} KiB; at most 240 are read at once. Split it.`,
      );
    file.value = readPartsFile(await chosen.text());
    await ask(true);
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
const made = computed(() => answer.value?.rows.filter((r) => r.action === 'create').length ?? 0);
const refused = computed(() => answer.value?.rows.filter((r) => r.action === 'refused').length ?? 0);
const icons = { create: Check, skip: SkipForward, refused: CircleAlert };
const words = { create: 'will be made', skip: 'is here already, left alone', refused: 'not possible' };
</script>
<template>
  <SideSheet
    v-model:open="open"
    title="Take in a file"
    says="JSON or CSV, as it was exported here or on another desk. You see first what would happen."
  >
    <div class="stack">
      <label class="file">
        File
        <input type="file" accept=".json,.csv,application/json,text/csv" @change="choose" />
      </label>
      <label class="row"
        ><input
          v-model="existing"
          type="checkbox"
          true-value="skip"
          false-value="refuse"
          @change="ask(true)"
        />
        leave alone what the desk has already under the same name</label
      >
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <template v-if="answer">
        <p aria-live="polite">
          <strong>{{ made }} to make</strong
          ><span v-if="refused" class="error">
            · {{ refused }} not possible: nothing is made before all are</span
          >
        </p>
        <table>
          <thead>
            <tr>
              <th scope="col">Line</th>
              <th scope="col">Kind</th>
              <th scope="col">Name</th>
              <th scope="col">What happens</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(r, i) in answer.rows" :key="i">
              <td>{{ i + 1 }}</td>
              <td>{{ r.kind.replace('-', ' ') }}</td>
              <th scope="row">{{ r.name }}</th>
              <td :class="{ error: r.action === 'refused' }">
                <component :is="icons[r.action]" :size="14" aria-hidden="true" /> {{ words[r.action] }}
                <div v-for="e in r.errors" :key="e.path + e.message">{{ e.path }}: {{ e.message }}</div>
                <div v-if="r.unread.length" class="quiet">not read: {{ r.unread.join(', ') }}</div>
              </td>
            </tr>
          </tbody>
        </table>
        <p>
          <button
            type="button"
            class="main"
            :disabled="refused > 0 || made === 0 || busy"
            @click="ask(false)"
          >
            Make {{ made }} records
          </button>
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
