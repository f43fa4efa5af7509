<script setup lang="ts">
/** Which files tell where visitors are. */
import type { PlaceFile } from '@tracheon/core/contract';
import { onMounted, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { moment } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import StateBlock from '../../ui/StateBlock.vue';

const session = useSession();
const files = ref<PlaceFile[]>([]);
const notice = ref('');
const state = ref<'loading' | 'ready' | 'failed'>('loading');
async function load(): Promise<void> {
  state.value = 'loading';
  try {
    ({ files: files.value, notice: notice.value } = await ask('placeFiles'));
    state.value = 'ready';
  } catch {
    state.value = 'failed';
  }
}
onMounted(load);
</script>
<template>
  <section class="sheet pad" aria-label="Places">
    <h2>Places</h2>
    <p class="quiet">
      Tracheon knows each visitor’s country. For region, city, internet provider and connection, whoever runs
      this server can add .mmdb files with the setting TRACHEON_PLACE_FILES.
    </p>
    <StateBlock v-if="state !== 'ready'" :state="state" @again="load" />
    <template v-else-if="files.length > 0">
      <ListTable
        :rows="files.map((f) => ({ ...f, id: f.name }))"
        label="Place files"
        :columns="[
          { key: 'name', label: 'File', fixed: true },
          { key: 'type', label: 'Type' },
          { key: 'builtAt', label: 'Made' },
          { key: 'trouble', label: 'Problem' },
        ]"
      >
        <template #name="{ row }">{{ row.name }}</template>
        <template #type="{ row }">{{ row.type || '–' }}</template>
        <template #builtAt="{ row }">{{
          row.builtAt ? moment(row.builtAt, session.desk.zone) : '–'
        }}</template>
        <template #trouble="{ row }">{{ row.trouble || '–' }}</template>
      </ListTable>
      <p v-if="notice" class="quiet">{{ notice }}</p>
    </template>
  </section>
</template>
