<script setup lang="ts">
/** Changes of several records, the latest first; each can be undone as long as none of its records was changed since. */
import ListTable from '../../../ui/ListTable.vue';
import Button from 'primevue/button';
import type { ChangeRow } from '@tracheon/core/contract';
import { onMounted, ref } from 'vue';
import { ask } from '../../../app/api.ts';
import { useSession } from '../../../app/session.ts';
import { moment } from '../../../ui/format.ts';
import SideSheet from '../../../ui/SideSheet.vue';
import StateBlock from '../../../ui/StateBlock.vue';
import { useBulkChange } from '../../../shared/useBulkChange.ts';

const open = defineModel<boolean>('open', { required: true });
const session = useSession();
const { busy, failure, undo } = useBulkChange();
const rows = ref<ChangeRow[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const words = ref('');
async function load(): Promise<void> {
  try {
    rows.value = await ask('listChanges');
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
    title="Bulk changes"
    says="Campaigns changed or created together. You can undo each change as a whole; undoing a creation archives the new campaigns."
  >
    <StateBlock v-if="state !== 'ready'" :state="state" :words="words" @again="load" />
    <StateBlock
      v-else-if="rows.length === 0"
      state="empty"
      title="No bulk changes yet"
      words="When you change or create several campaigns at once, the change appears here and you can undo it."
    />
    <ListTable
      v-else
      :rows="rows"
      label="Bulk changes"
      :columns="[
        { key: 'words', label: 'Change', sort: (r) => r.words },
        { key: 'at', label: 'Made', sort: (r) => r.at },
        { key: 'count', label: 'Records', num: true, sort: (r) => r.count },
        { key: 'undo', label: '(Undo)' },
      ]"
    >
      <template #words="{ row }">{{ row.words }}</template>
      <template #at="{ row }">{{ moment(row.at, session.desk.zone) }}, {{ row.by }}</template>
      <template #count="{ row }">{{ row.count }}</template>
      <template #undo="{ row }">
        <span v-if="row.undone" class="quiet">undone</span>
        <Button
          v-else-if="session.canEdit"
          variant="link"
          :disabled="busy"
          :aria-label="`Undo: ${row.words}`"
          @click="takeBack(row.id)"
        >
          Undo
        </Button>
      </template>
    </ListTable>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
  </SideSheet>
</template>
<style scoped src="./bulk.css"></style>
