/**
 * PrimeVue lets a program give attributes to single cells, and asks for them in three ways whenever it draws one: two
 * thirds of a cell's time. No table here gives any.
 */
import DataTable from 'primevue/datatable';

interface Options {
  components?: Record<string, Options>;
  methods?: Record<string, unknown>;
}

const cell = ['DTTableBody', 'DTBodyRow', 'DTBodyCell'].reduce<Options | undefined>(
  (of, name) => of?.components?.[name],
  DataTable as unknown as Options,
);
// Another version of PrimeVue may be built otherwise, and draws its cells as it does.
if (cell?.methods?.getColumnPT) cell.methods.getColumnPT = () => undefined;
export const PlainTable = DataTable;
