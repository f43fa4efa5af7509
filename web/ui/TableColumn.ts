/**
 * PrimeVue's column, without its telling the table that it is there. The table reads its columns from its slot anyway; being
 * told, it would draw each cell a second time.
 */
import Column from 'primevue/column';

const hooks = ['mounted', 'unmounted'];
const kept = Object.entries(Column as unknown as object).filter(([name]) => !hooks.includes(name));
export const TableColumn = Object.fromEntries(kept) as unknown as typeof Column;
