<script setup lang="ts">
/** One link taken apart: address, parameters with their layers, addresses inside opened in place. */
import ListTable from '../../ui/ListTable.vue';
import Checkbox from 'primevue/checkbox';
import FoldBlock from '../../ui/FoldBlock.vue';
import type { ReadLink, ReadParameter } from '@tracheon/core/links';
import { computed } from 'vue';
import LinkText from '../../ui/LinkText.vue';

const props = defineProps<{ link: ReadLink; nested?: boolean }>();
/** Parameters that were picked, by name and value as they are decoded. */
const picked = defineModel<ReadParameter[]>('picked', { required: true });

/** Runs of alike parameters stand together, where the first of them stood. */
const rows = computed(() => {
  const done = new Set<string>();
  return props.link.parameters.flatMap((p) => {
    if (p.run === '') return [{ head: '', all: [p] }];
    if (done.has(p.run)) return [];
    done.add(p.run);
    return [{ head: p.run, all: props.link.parameters.filter((q) => q.run === p.run) }];
  });
});
/** A line for each run, and one for each parameter. */
interface Line {
  key: string;
  head: string;
  run: ReadParameter[];
  parameter: ReadParameter | null;
}
const lines = computed<Line[]>(() =>
  rows.value.flatMap(({ head, all }, r) => {
    const run = head ? all : [];
    const each = all.map((parameter, i) => ({ key: `${r}.${i}`, head, run, parameter }));
    return head ? [{ key: `${r}`, head, run, parameter: null }, ...each] : each;
  }),
);
const isPicked = (p: ReadParameter): boolean => picked.value.includes(p);
const toggle = (p: ReadParameter): void => {
  picked.value = isPicked(p) ? picked.value.filter((q) => q !== p) : [...picked.value, p];
};
const pickRun = (all: ReadParameter[]): void => {
  const rest = picked.value.filter((p) => !all.includes(p));
  picked.value = all.every(isPicked) ? rest : [...rest, ...all];
};
const times = [
  '',
  'decoded once',
  'decoded twice',
  'decoded three times',
  'decoded four times',
  'decoded five times',
];
</script>
<template>
  <div :class="['read', { nested }]">
    <p class="address mono">
      <span class="quiet">{{ link.scheme ? `${link.scheme}://` : '' }}</span
      ><strong>{{ link.host || '(no host)' }}</strong>{{ link.path }}
      <span v-if="link.fragment" class="quiet">#{{ link.fragment }}</span>
    </p>
    <p v-if="link.parameters.length === 0" class="quiet">No parameters.</p>
    <ListTable
      v-else
      :rows="lines"
      :row-key="(line) => line.key"
      label="Parameters of the link"
      :columns="[
        { key: 'take', label: '(Take)' },
        { key: 'name', label: 'Parameter' },
        { key: 'value', label: 'Value' },
        { key: 'meaning', label: 'Usual meaning' },
      ]"
    >
      <template #take="{ row }">
        <Checkbox
          v-if="row.parameter"
          binary
          :model-value="isPicked(row.parameter)"
          :aria-label="`Take ${row.parameter.name}`"
          @update:model-value="toggle(row.parameter)"
        />
        <Checkbox
          v-else
          binary
          :model-value="row.run.every(isPicked)"
          :aria-label="`Take all of ${row.head}`"
          @update:model-value="pickRun(row.run)"
        />
      </template>
      <template #name="{ row }">
        <span v-if="row.parameter" class="mono" :class="{ inrun: row.run.length > 0 }">{{
          row.parameter.name
        }}</span>
        <strong v-else>{{ row.head }}</strong>
      </template>
      <template #value="{ row: { parameter: p, run } }">
        <template v-if="p">
          <LinkText v-if="!p.nested" :link="p.value || '(empty)'" expander="they" />
          <span v-if="p.layers.length > 1" class="quiet small"> {{ times[p.layers.length - 1] }}</span>
          <FoldBlock v-if="p.layers.length > 2" title="Layers" class="layers">
            <ol>
              <li v-for="layer in p.layers" :key="layer">
                <code>{{ layer }}</code>
              </li>
            </ol>
          </FoldBlock>
          <ReadLinkView v-if="p.nested" v-model:picked="picked" :link="p.nested" nested />
        </template>
        <span v-else class="quiet">{{ run.length }} similar parameters</span>
      </template>
      <template #meaning="{ row }"><span class="quiet">{{ row.parameter?.meaning }}</span></template>
    </ListTable>
  </div>
</template>
<style scoped>
.address {
  overflow-wrap: anywhere;
  margin: 0 0 6px;
}
.nested {
  border-left: 3px solid var(--border);
  padding: 4px 0 4px 10px;
}
td,
th {
  vertical-align: top;
  height: auto;
  padding: 5px 8px 5px 0;
  white-space: normal;
}
tbody th {
  color: var(--ink);
  font-weight: 500;
  border-bottom: 1px solid var(--hairline);
}
td:first-child {
  width: 24px;
}
td:nth-child(3) {
  overflow-wrap: anywhere;
}
td:last-child {
  width: 150px;
}
.inrun th {
  padding-left: 12px;
}
.small {
  font-size: 12px;
  margin-left: 8px;
}
.layers {
  border: 0;
  padding: 0;
  font-size: 12px;
}
.layers summary {
  font-weight: 500;
  color: var(--quiet);
}
.layers ol {
  margin: 0;
  padding-left: 18px;
}
.layers code {
  overflow-wrap: anywhere;
}
</style>
