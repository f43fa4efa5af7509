<script setup lang="ts">
/** Changes of several records, the latest first; each can be undone as long as none of its records was changed since. */
import type { ChangeRow } from '@tracheon/core/contract';
import { onMounted, ref } from 'vue';
import { api } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { moment } from '../../shared/format.ts';
import SideSheet from '../../shared/SideSheet.vue';
import StateBlock from '../../shared/StateBlock.vue';
import { useBulkChange } from './useBulkChange.ts';

const open = defineModel<boolean>('open', { required: true });
const session = useSession();
const { busy, failure, undo } = useBulkChange();
const rows = ref<ChangeRow[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const words = ref('');
async function load(): Promise<void> {
  try {
    rows.value = await api.get<ChangeRow[]>('/parts-changes');
    state.value = 'ready';
  } catch (error) {
    words.value = (error as Error).message;
    state.value = 'failed';
  }
}
onMounted(load);
async function takeBack(id: string): Promise<void> {
  await undo(id);
  await load();
}
</script>
<template>
  <SideSheet
    v-model:open="open"
    title="Changes of many"
    says="What was changed in several campaigns at once."
  >
    <StateBlock v-if="state !== 'ready'" :state="state" :words="words" @again="load" />
    <StateBlock
      v-else-if="rows.length === 0"
      state="empty"
      title="None yet"
      words="Swapping an offer everywhere, or renaming by rule, is kept here and can be undone as one."
    />
    <table v-else>
      <thead>
        <tr>
          <th scope="col">What</th>
          <th scope="col">When, by whom</th>
          <th scope="col" class="num">Campaigns</th>
          <th scope="col"><span class="visually-hidden">Undo</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in rows" :key="r.id">
          <td>{{ r.words }}</td>
          <td>{{ moment(r.at, session.desk.zone) }}, {{ r.by }}</td>
          <td class="num">{{ r.count }}</td>
          <td>
            <span v-if="r.undone" class="quiet">undone</span>
            <button
              v-else-if="session.canEdit"
              type="button"
              class="bare"
              :disabled="busy"
              :aria-label="`Undo: ${r.words}`"
              @click="takeBack(r.id)"
            >
              Undo
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
  </SideSheet>
</template>
<style scoped src="./bulk.css"></style>
