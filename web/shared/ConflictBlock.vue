<script setup lang="ts">
/** Another member saved this record meanwhile: both versions, field by field, and the two ways on. */
import ListTable from '../ui/ListTable.vue';
import Button from 'primevue/button';
import type { StoredRecord } from '@tracheon/core/contract';
import { CircleAlert } from '@lucide/vue';
import { computed } from 'vue';
import { useParts } from '../app/parts.ts';
import { useSession } from '../app/session.ts';
import { differences } from './differences.ts';
import { moment } from '../ui/format.ts';

const props = defineProps<{ mine: object; theirs: StoredRecord }>();
defineEmits<{ takeTheirs: []; keepMine: [] }>();
const parts = useParts();
const session = useSession();
const rows = computed(() =>
  differences(props.mine, props.theirs.body, (id) => parts.byId.get(id)?.body.name),
);
</script>
<template>
  <section class="conflict" role="alert" aria-label="Both versions">
    <p class="error row">
      <CircleAlert :size="16" aria-hidden="true" /> Another member saved this record at
      {{ moment(theirs.updatedAt, session.desk.zone) }}. Your changes are not lost.
    </p>
    <ListTable
      v-if="rows.length"
      :rows="rows"
      :row-key="(d) => d.field"
      label="Differences"
      :columns="[
        { key: 'field', label: 'Field' },
        { key: 'mine', label: 'Your version (not saved)' },
        { key: 'theirs', label: 'Saved version' },
      ]"
    >
      <template #field="{ row }">{{ row.field }}</template>
      <template #mine="{ row }">{{ row.mine }}</template>
      <template #theirs="{ row }">{{ row.theirs }}</template>
    </ListTable>
    <p v-else class="quiet">Both versions are the same.</p>
    <div class="row">
      <Button severity="secondary" @click="$emit('takeTheirs')">Use their version</Button>
      <Button severity="secondary" @click="$emit('keepMine')">Keep my version</Button>
      <span class="quiet">If you keep your version, it replaces theirs when you save.</span>
    </div>
  </section>
</template>
<style scoped>
.conflict {
  border: 1px solid var(--error);
  border-radius: 6px;
  padding: 10px 12px;
  display: grid;
  gap: 8px;
}
td {
  overflow-wrap: anywhere;
  vertical-align: top;
}
tbody th {
  vertical-align: top;
  white-space: normal;
  color: var(--ink);
}
</style>
