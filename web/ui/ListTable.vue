<script setup lang="ts" generic="R extends object">
/**
 * PrimeVue's DataTable as every list here uses it: search, sort by any column, a fixed first column, rows by keyboard,
 * choosing several, column choice and widths kept for the member, CSV, and the empty, loading and failing states.
 */
import Checkbox from 'primevue/checkbox';
import ProgressBar from 'primevue/progressbar';
import { ChevronDown, ChevronUp } from '@lucide/vue';
import { TableColumn } from './TableColumn.ts';
import { computed, inject, onBeforeUpdate, ref, shallowRef, useSlots } from 'vue';
import type { TableLayout } from '@tracheon/core/contract';
import { PlainTable as DataTable } from './plainCells.ts';
import { focusFirstRow, onRowKey, type RowActions } from './rowKeys.ts';
import StateBlock from './StateBlock.vue';
import TableTools from './TableTools.vue';
import {
  hiddenOf,
  inOrder,
  isDrawnAlike,
  isSpoken,
  noLayout,
  pinnedFirst,
  rangeOf,
  sorted,
  spoken,
  steady,
  tableLayoutsKey,
  type Column,
} from './tableColumns.ts';

export type { Column } from './tableColumns.ts';

const props = withDefaults(
  defineProps<{
    rows: R[];
    columns: Column<R>[];
    label: string;
    state?: 'loading' | 'ready' | 'failed';
    failure?: string;
    /** Under this name the member's layout is kept; without one there is no choice of columns. */
    name?: string;
    rowKey?: (row: R) => string;
    /** Sorted by this column at first; `-` before it for descending. */
    sortBy?: string;
    /** The server sorts: `sort` is emitted, and the rows stay as they come. */
    sortsOnServer?: boolean;
    search?: string;
    /** Text of a row in which the search looks; without it the server has searched already. */
    text?: (row: R) => string;
    /** A click or Enter on a row. */
    pick?: (row: R) => void;
    /** What keys do on the row that has the focus. */
    rowActions?: RowActions<R>;
    /** Rows can be chosen; called as this in the label of each box. */
    chooseAs?: (row: R) => string;
  }>(),
  {
    state: 'ready',
    failure: '',
    name: '',
    rowKey: (row: R) => String((row as { id?: string }).id ?? ''),
    sortBy: '',
    search: '',
  },
);
const emit = defineEmits<{ again: []; sort: [by: string] }>();
const chosen = defineModel<string[]>('chosen', { default: () => [] });
const slots = useSlots();

const layouts = inject(tableLayoutsKey, null);
const layout = shallowRef<TableLayout>((props.name && layouts?.layoutOf(props.name)) || noLayout());
function keep(change: Partial<TableLayout>): void {
  layout.value = { ...layout.value, ...change };
  if (props.name) layouts?.keep(props.name, layout.value);
}
// A layout that an older version has kept pins nothing.
const pinned = computed(() => layout.value.pinned ?? []);
const ordered = computed(() => pinnedFirst(inOrder(props.columns, layout.value.order), pinned.value));
const hidden = computed(() => hiddenOf(props.columns, layout.value));
const chosenColumns = (): Column<R>[] => ordered.value.filter((c) => !hidden.value.includes(c.key));
// A screen makes its columns again whenever anything on it changes.
const visible = computed<Column<R>[]>((before) => steady(before, chosenColumns(), isDrawnAlike));
function move(key: string, by: number): void {
  const order = ordered.value.map((c) => c.key);
  const at = order.indexOf(key);
  const to = Math.max(0, Math.min(order.length - 1, at + by));
  order.splice(to, 0, ...order.splice(at, 1));
  keep({ order });
}
function reordered(event: { dragIndex: number; dropIndex: number }): void {
  const shift = props.chooseAs ? 1 : 0;
  const from = visible.value[event.dragIndex - shift];
  const to = visible.value[event.dropIndex - shift];
  if (from && to) move(from.key, ordered.value.indexOf(to) - ordered.value.indexOf(from));
}
const room = ref<HTMLElement | null>(null);
function resized(): void {
  const widths: Record<string, number> = {};
  for (const th of room.value?.querySelectorAll<HTMLElement>('th[data-column]') ?? [])
    widths[th.dataset.column!] = Math.round(th.offsetWidth);
  keep({ widths });
}

const by = ref(props.sortBy.replace(/^-/, ''));
const down = ref(props.sortBy.startsWith('-'));
function sortOn(event: { sortField?: unknown }): void {
  const column = props.columns.find((c) => c.key === event.sortField);
  if (!column) return;
  if (by.value === column.key) down.value = !down.value;
  else [by.value, down.value] = [column.key, column.num === true];
  emit('sort', `${down.value ? '-' : ''}${by.value}`);
}
function searched(): R[] {
  const wanted = props.search.trim().toLowerCase();
  const { text } = props;
  const found =
    wanted && text ? props.rows.filter((r) => text(r).toLowerCase().includes(wanted)) : props.rows;
  const sort = props.columns.find((c) => c.key === by.value)?.sort;
  return sort && !props.sortsOnServer ? sorted(found, sort, down.value) : found;
}
const shown = computed<R[]>((before) => steady(before, searched(), Object.is));

const ids = computed(() => shown.value.map((r) => props.rowKey(r)));
const allChosen = computed(() => ids.value.length > 0 && ids.value.every((id) => chosen.value.includes(id)));
let last = '';
const isRange = ref(false);
function choose(id: string, isOn: boolean): void {
  const some = isRange.value && last ? rangeOf(ids.value, last, id) : [id];
  last = id;
  const others = chosen.value.filter((c) => !some.includes(c));
  chosen.value = isOn ? [...others, ...some] : others;
}
function chooseAll(isOn: boolean): void {
  chosen.value = isOn ? [...new Set([...chosen.value, ...ids.value])] : [];
}

/** Many rows are drawn as they scroll into view. */
const VIRTUAL_FROM = 150;
const VIRTUAL = { itemSize: 33 };
const isLong = computed(() => shown.value.length > VIRTUAL_FROM);
/** Width of the column of boxes. The pinned name stands right after it, so its place is known without measuring. */
const CHOOSE_PX = 34;
const placed = (px: number): Record<string, string> => ({ insetInlineStart: `${px}px` });
// Slots aren't reactive: they are looked at each time the table is drawn.
const footerNow = (): boolean => Object.keys(slots).some((s) => s.startsWith('total-'));
const hasFooter = ref(footerNow());
onBeforeUpdate(() => (hasFooter.value = footerNow()));
const widthOf = (key: string): Record<string, string> => {
  const px = layout.value.widths[key];
  return px ? { width: `${px}px`, minWidth: `${px}px` } : {};
};
// These stay the same. With new ones, the table would draw all rows whenever anything else on its screen changes.
const keyOfRow = (row: R): string => props.rowKey(row);
const classOfRow = (): string => (props.pick ? 'picks' : '');
const attributes = computed(() => ({
  table: { 'aria-label': props.label, 'aria-rowcount': shown.value.length },
  tableContainer: { tabindex: 0, role: 'region', 'aria-label': `${props.label}, scrolls` },
}));
defineExpose({ focusRows: () => focusFirstRow(room.value) });
async function saveCsv(): Promise<void> {
  const { downloadCsv } = await import('./tableCsv.ts');
  downloadCsv(props.name, shown.value, chosenColumns());
}
</script>

<template>
  <StateBlock v-if="state === 'loading' && rows.length === 0" state="loading" />
  <StateBlock v-else-if="state === 'failed'" state="failed" :words="failure" @again="$emit('again')" />
  <slot v-else-if="rows.length === 0" name="empty" />
  <div v-else ref="room" class="list-table" @keydown="rowActions && onRowKey($event, shown, rowActions)">
    <TableTools
      v-if="name"
      :columns="ordered"
      :hidden="hidden"
      :pinned="pinned"
      :label="label"
      @hide="keep({ hidden: $event, order: ordered.map((c) => c.key) })"
      @move="move"
      @pin="keep({ pinned: $event })"
      @reset="keep(noLayout())"
      @csv="saveCsv"
    />
    <ProgressBar v-if="state === 'loading'" class="loads" mode="indeterminate" aria-label="Loading" />
    <DataTable
      :value="shown"
      :data-key="keyOfRow"
      :aria-busy="state === 'loading'"
      lazy
      size="small"
      scrollable
      :scroll-height="isLong ? '70vh' : undefined"
      :virtual-scroller-options="isLong ? VIRTUAL : undefined"
      :sort-field="by"
      :sort-order="down ? -1 : 1"
      :resizable-columns="name !== ''"
      column-resize-mode="expand"
      :reorderable-columns="name !== ''"
      :selection-mode="pick ? 'single' : undefined"
      :row-class="classOfRow"
      :pt="attributes"
      @sort="sortOn"
      @row-click="pick?.($event.data as R)"
      @column-reorder="reordered"
      @column-resize-end="resized"
    >
      <TableColumn
        v-if="chooseAs"
        key="(choose)"
        column-key="(choose)"
        class="choose"
        frozen
        :style="[{ width: `${CHOOSE_PX}px`, minWidth: `${CHOOSE_PX}px` }, placed(0)]"
        :reorderable-column="false"
      >
        <template #header
          ><Checkbox
            binary
            :model-value="allChosen as boolean"
            aria-label="Choose all rows shown"
            @update:model-value="chooseAll"
        /></template>
        <template #body="{ data }"
          ><span @click.capture="isRange = $event.shiftKey" @click.stop
            ><Checkbox
              binary
              :model-value="chosen.includes(rowKey(data as R))"
              :aria-label="`Choose ${chooseAs(data as R)}`"
              @update:model-value="choose(rowKey(data as R), $event)" /></span
        ></template>
      </TableColumn>
      <TableColumn
        v-for="(c, i) in visible"
        :key="c.key"
        :column-key="c.key"
        :field="c.key"
        :sortable="c.sort !== undefined"
        :frozen="i === 0 || pinned.includes(c.key)"
        :class="{ num: c.num }"
        :style="i === 0 ? [widthOf(c.key), placed(chooseAs ? CHOOSE_PX : 0)] : widthOf(c.key)"
        :pt="{ headerCell: { 'data-column': c.key, scope: 'col' } }"
      >
        <template #header
          ><span :class="{ explained: c.explain, 'visually-hidden': isSpoken(c.label) }" :title="c.explain">{{
            spoken(c.label)
          }}</span></template
        >
        <template #sorticon="{ sorted: isSorted, sortOrder }">
          <component
            :is="sortOrder === -1 ? ChevronDown : ChevronUp"
            v-if="isSorted"
            :size="13"
            aria-hidden="true"
          />
        </template>
        <template #body="{ data }"><slot :name="c.key" :row="data as R" /></template>
        <template v-if="hasFooter" #footer><slot :name="`total-${c.key}`" /></template>
      </TableColumn>
    </DataTable>
    <p v-if="shown.length === 0" class="quiet pad">No row matches “{{ search }}”.</p>
  </div>
</template>

<style>
.list-table {
  position: relative;
}
.list-table .p-datatable-table-container {
  position: relative;
}
/* Over the first line of the table, so that no row moves. What takes no time shows none. */
.list-table .loads {
  position: absolute;
  inset-inline: 0;
  z-index: 2;
  height: 3px;
  border-radius: 0;
  animation: shown-later 300ms step-end;
}
@keyframes shown-later {
  from {
    visibility: hidden;
  }
}
/* A whole number of pixels: with half of one, the line below a pinned heading is drawn beside that of its neighbours. */
.list-table th {
  line-height: 20px;
}
.list-table th.num .p-datatable-column-header-content {
  justify-content: flex-end;
}
.list-table td.num {
  text-align: right;
  font-variant-numeric: tabular-nums;
  white-space: nowrap;
}
.list-table .picks {
  cursor: pointer;
}
/* What scrolls under a pinned column stays under it, also where it has a place of its own. */
.list-table .p-datatable-frozen-column {
  z-index: 1;
}
/* PrimeVue takes the ground of a pinned cell from its row, and the row of totals has none. */
.list-table tfoot .p-datatable-frozen-column {
  background: var(--sheet);
}
.list-table tbody tr:focus-visible {
  outline: none;
}
.list-table tbody tr:focus-visible td {
  box-shadow:
    inset 0 2px 0 var(--action),
    inset 0 -2px 0 var(--action);
}
</style>
