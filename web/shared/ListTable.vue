<script setup lang="ts" generic="R extends { id: string }">
/** A table with search, sort by any column, and its empty, loading and failing states. Wide ones scroll inside. */
import { ChevronDown, ChevronUp } from '@lucide/vue';
import { computed, ref } from 'vue';
import StateBlock from './StateBlock.vue';

export interface Column<T> {
  key: string;
  label: string;
  num?: boolean;
  /** Value to sort by; a column without is not sorted. */
  sort?: (row: T) => string | number | bigint;
  explain?: string;
}
const props = defineProps<{
  rows: R[];
  columns: Column<R>[];
  state: 'loading' | 'ready' | 'failed';
  failure?: string;
  label: string;
  /** Sorted by this column at first; `-` before it for descending. */
  sortBy?: string;
  search?: string;
  /** Text of a row in which the search looks; without it the server has searched already. */
  text?: (row: R) => string;
  pick?: (row: R) => void;
}>();
defineEmits<{ again: [] }>();

const by = ref(props.sortBy?.replace(/^-/, '') ?? '');
const down = ref(props.sortBy?.startsWith('-') ?? false);
function sortOn(column: Column<R>): void {
  if (by.value === column.key) down.value = !down.value;
  else [by.value, down.value] = [column.key, column.num === true];
}
const shown = computed(() => {
  const wanted = (props.search ?? '').trim().toLowerCase();
  const found =
    wanted && props.text
      ? props.rows.filter((r) => props.text!(r).toLowerCase().includes(wanted))
      : [...props.rows];
  const sort = props.columns.find((c) => c.key === by.value)?.sort;
  if (!sort) return found;
  const order = (a: R, b: R): number => {
    const [x, y] = [sort(a), sort(b)];
    if (typeof x === 'string' || typeof y === 'string') return String(x).localeCompare(String(y));
    return x < y ? -1 : x > y ? 1 : 0;
  };
  return found.sort((a, b) => (down.value ? order(b, a) : order(a, b)));
});
</script>

<template>
  <StateBlock v-if="state === 'loading' && rows.length === 0" state="loading" />
  <StateBlock v-else-if="state === 'failed'" state="failed" :words="failure" @again="$emit('again')" />
  <slot v-else-if="rows.length === 0" name="empty" />
  <template v-else>
    <div class="scroll" tabindex="0" role="region" :aria-label="label">
      <table>
        <thead>
          <tr>
            <th
              v-for="c in columns"
              :key="c.key"
              :class="{ num: c.num }"
              scope="col"
              :aria-sort="by === c.key ? (down ? 'descending' : 'ascending') : undefined"
            >
              <button
                v-if="c.sort"
                type="button"
                :title="c.explain"
                :class="{ explained: c.explain }"
                @click="sortOn(c)"
              >
                {{ c.label }}
                <component
                  :is="down ? ChevronDown : ChevronUp"
                  v-if="by === c.key"
                  :size="13"
                  aria-hidden="true"
                />
              </button>
              <span
                v-else
                :class="{ explained: c.explain, 'visually-hidden': c.label.startsWith('(') }"
                :title="c.explain"
                >{{ c.label }}</span
              >
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in shown" :key="row.id" :class="{ picks: pick }" @click="pick?.(row)">
            <td v-for="c in columns" :key="c.key" :class="{ num: c.num }">
              <slot :name="c.key" :row="row" />
            </td>
          </tr>
        </tbody>
        <tfoot v-if="$slots.total">
          <slot name="total" />
        </tfoot>
      </table>
    </div>
    <p v-if="shown.length === 0" class="quiet pad">Nothing matches “{{ search }}”.</p>
  </template>
</template>

<style scoped>
.scroll {
  /* Holds what is hidden for the eye but placed absolutely, which else would widen the page. */
  position: relative;
  overflow-x: auto;
}
th:first-child,
td:first-child {
  position: sticky;
  left: 0;
  background: var(--sheet);
}
.picks {
  cursor: pointer;
}
</style>
