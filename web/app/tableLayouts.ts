/** Layouts of tables as the member left them: known from the start, saved on the server a moment after each change. */
import { toRaw } from 'vue';
import type { TableLayout } from '@tracheon/core/contract';
import { noLayout, type TableLayouts } from '../ui/tableColumns.ts';
import { ask } from './api.ts';
import type { useSession } from './session.ts';

/** Dragging a column edge says many widths in a row; the last one is saved. */
const SAVE_AFTER_MS = 600;

export function memberTableLayouts(session: ReturnType<typeof useSession>): TableLayouts {
  const timers = new Map<string, ReturnType<typeof setTimeout>>();
  return {
    layoutOf: (table) => session.me?.tableLayouts[table] ?? noLayout(),
    keep: (table: string, layout: TableLayout) => {
      if (session.me) session.me.tableLayouts[table] = layout;
      clearTimeout(timers.get(table));
      const save = (): void =>
        // A layout that could not be saved costs the next visit of this screen its widths, nothing else.
        void ask('keepTableLayout', { body: { table, layout: toRaw(layout) } }).catch(() => undefined);
      timers.set(table, setTimeout(save, SAVE_AFTER_MS));
    },
  };
}
