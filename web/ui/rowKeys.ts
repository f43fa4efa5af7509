/** Rows of a table by keyboard: arrows up and down move the focus, other keys do what the table says. */
export type RowActions<R> = Readonly<Record<string, (row: R) => void>>;

function focusRow(row: Element | null | undefined): boolean {
  if (!(row instanceof HTMLElement)) return false;
  row.tabIndex = -1;
  row.focus();
  return true;
}

/** The first row that is drawn. */
export const focusFirstRow = (table: HTMLElement | null | undefined): boolean =>
  focusRow(table?.querySelector('tbody tr'));

/** `rows` as they are drawn. Keys inside a row, as on one of its buttons, are left alone. */
export function onRowKey<R>(event: KeyboardEvent, rows: readonly R[], actions: RowActions<R>): void {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const at = event.target as HTMLElement;
  const isRow = at.matches('tbody tr');
  if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
    const isMoved = isRow
      ? focusRow(event.key === 'ArrowDown' ? at.nextElementSibling : at.previousElementSibling)
      : at.matches('[role="region"]') && event.key === 'ArrowDown' && focusFirstRow(at);
    if (isMoved) event.preventDefault();
    return;
  }
  const row = isRow ? rows[Number(at.dataset.pIndex)] : undefined;
  const action = actions[event.key];
  if (row === undefined || !action) return;
  event.preventDefault();
  action(row);
}
