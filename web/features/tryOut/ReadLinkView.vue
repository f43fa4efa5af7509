<script setup lang="ts">
/** One link taken apart: address, parameters with their layers, addresses inside opened in place. */
import type { ReadLink, ReadParameter } from '@tracheon/core/links';
import { computed } from 'vue';
import LinkText from '../../shared/LinkText.vue';

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
      <span class="quiet">{{ link.scheme ? `${link.scheme}://` : '' }}</span><strong>{{
        link.host || '(no host)'
      }}</strong
      >{{ link.path }}
      <span v-if="link.fragment" class="quiet">#{{ link.fragment }}</span>
    </p>
    <p v-if="link.parameters.length === 0" class="quiet">No parameters.</p>
    <table v-else>
      <thead>
        <tr>
          <th scope="col"><span class="visually-hidden">Take</span></th>
          <th scope="col">Parameter</th>
          <th scope="col">Value</th>
          <th scope="col">Usually</th>
        </tr>
      </thead>
      <tbody v-for="(row, r) in rows" :key="r">
        <tr v-if="row.head" class="run">
          <td>
            <input
              type="checkbox"
              :checked="row.all.every(isPicked)"
              :aria-label="`Take all of ${row.head}`"
              @change="pickRun(row.all)"
            />
          </td>
          <td colspan="3">
            <strong>{{ row.head }}</strong> <span class="quiet">a run of {{ row.all.length }}</span>
          </td>
        </tr>
        <tr v-for="(p, i) in row.all" :key="i" :class="{ inrun: row.head }">
          <td>
            <input
              type="checkbox"
              :checked="isPicked(p)"
              :aria-label="`Take ${p.name}`"
              @change="toggle(p)"
            />
          </td>
          <th scope="row" class="mono">{{ p.name }}</th>
          <td>
            <LinkText v-if="!p.nested" :link="p.value || '(empty)'" expander="they" />
            <span v-if="p.layers.length > 1" class="quiet small"> {{ times[p.layers.length - 1] }}</span>
            <details v-if="p.layers.length > 2" class="layers">
              <summary>layers</summary>
              <ol>
                <li v-for="layer in p.layers" :key="layer">
                  <code>{{ layer }}</code>
                </li>
              </ol>
            </details>
            <ReadLinkView v-if="p.nested" v-model:picked="picked" :link="p.nested" nested />
          </td>
          <td class="quiet">{{ p.meaning }}</td>
        </tr>
      </tbody>
    </table>
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
