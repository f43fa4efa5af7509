<script setup lang="ts">
/** A postback read step by step: their parameter, our field, its value, what it means. */
import type { WholePostbackIn } from '@tracheon/core/contract';
import { computed } from 'vue';
import ListTable from '../../ui/ListTable.vue';

const props = defineProps<{ steps: WholePostbackIn['steps']; narrow?: boolean }>();
const rows = computed(() =>
  props.steps
    .map((s, i) => ({ ...s, id: String(i) }))
    .filter((s) => !props.narrow || s.parameter !== '' || s.isTrouble),
);
const columns = computed(() => [
  { key: 'parameter', label: 'Parameter' },
  ...(props.narrow
    ? []
    : [
        { key: 'field', label: 'Field' },
        { key: 'value', label: 'Value' },
      ]),
  { key: 'meaning', label: props.narrow ? 'Read as' : 'Meaning' },
]);
</script>
<template>
  <ListTable :rows="rows" label="Parameters" :columns="columns">
    <template #parameter="{ row }"
      ><code v-if="row.parameter">{{ row.parameter }}</code><span v-else class="quiet">–</span
      ><span v-if="narrow && row.field" class="quiet narrow">{{ row.field }}</span></template
    >
    <template #field="{ row }"><span class="nowrap">{{ row.field || '–' }}</span></template>
    <template #value="{ row }"><code class="raw value">{{ row.value || '–' }}</code></template>
    <template #meaning="{ row }"
      ><code v-if="narrow && row.value" class="raw narrow">{{ row.value }}</code
      ><span :class="{ error: row.isTrouble, quiet: !row.isTrouble && row.parameter === '' }">{{
        row.meaning
      }}</span></template
    >
  </ListTable>
</template>
<style scoped src="./lists.css"></style>
<style scoped>
.value {
  display: inline-block;
  min-width: 12ch;
}
.narrow {
  display: block;
  font-size: 12px;
}
</style>
