<script setup lang="ts" generic="T extends string">
/** The columns of an uploaded file with examples, and what each of them means. */
import { computed } from 'vue';
import type { ImportDraft } from '@tracheon/core/contract';
import ListTable from '../../ui/ListTable.vue';
import PickOne from '../../ui/PickOne.vue';

const props = defineProps<{
  draft: Pick<ImportDraft, 'header' | 'rows'>;
  options: { value: T; label: string }[];
  /** Of the settings: what is wrong at `targets`, by column. */
  problems: readonly { path: readonly PropertyKey[]; message: string }[];
}>();
const targets = defineModel<T[]>({ required: true });
const columns = computed(() =>
  props.draft.header.map((name, i) => ({
    id: String(i),
    i,
    name,
    samples: [...new Set(props.draft.rows.map((r) => r[i] ?? '').filter((v) => v !== ''))].slice(0, 3),
  })),
);
const problemAt = (i: number): string | undefined =>
  props.problems.find((p) => p.path[0] === 'targets' && p.path[1] === i)?.message;
</script>
<template>
  <ListTable
    :rows="columns"
    label="Columns"
    :columns="[
      { key: 'name', label: 'Column' },
      { key: 'samples', label: 'Examples' },
      { key: 'target', label: 'Meaning' },
    ]"
  >
    <template #name="{ row }"><strong>{{ row.name || `Column ${row.i + 1}` }}</strong></template>
    <template #samples="{ row }"><code class="clip">{{ row.samples.join(' · ') || '–' }}</code></template>
    <template #target="{ row }"
      ><PickOne
        v-model="targets[row.i]"
        :aria-label="`Meaning of ${row.name || `column ${row.i + 1}`}`"
        :options="options"
        :invalid="problemAt(row.i) !== undefined"
      />
      <p v-if="problemAt(row.i)" class="error small">{{ problemAt(row.i) }}</p></template
    >
  </ListTable>
</template>
<style scoped>
p {
  margin: 0;
}
.small {
  font-size: 12px;
}
.clip {
  display: block;
  max-width: 380px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
