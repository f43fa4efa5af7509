/**
 * PrimeVue's table can edit in its cells, group, open rows, load them one by one, and measure what is pinned. Each cell is a
 * component that is ready for all of it, and drawing hundreds of them is most of the work of showing a list. Tables here do
 * not use any of it: they draw the cells of rows and totals alone, with the roles and classes of PrimeVue's.
 */
import DataTable from 'primevue/datatable';
import { h, type FunctionalComponent, type VNode } from 'vue';

interface Drawn {
  components?: Record<string, Drawn>;
  methods?: Record<string, unknown>;
}
type Slot = (of: object) => VNode[];
interface Given {
  /** The column as the table was given it. */
  column: VNode & { children: { body?: Slot; footer?: Slot } | null };
  rowData: object;
  rowIndex: number;
}

const inside = (names: string[]): Drawn | undefined =>
  names.reduce<Drawn | undefined>((of, name) => of?.components?.[name], DataTable as unknown as Drawn);
const row = inside(['DTTableBody', 'DTBodyRow']);
const whole = row?.components?.DTBodyCell;
/** Where a pinned column stands, when the list says it. */
const placeOf = (style: unknown): string | undefined =>
  (style as { insetInlineStart?: string } | null | undefined)?.insetInlineStart;

const isPinned = ({ props }: VNode): boolean => props?.frozen === true || props?.frozen === '';
/** PrimeVue's cell measures where a pinned column stands, unless the list says it. */
const isMeasured = (column: VNode): boolean => isPinned(column) && placeOf(column.props?.style) === undefined;
const drawn = (column: VNode, content?: VNode[]): VNode =>
  h(
    'td',
    {
      role: 'cell',
      class: [column.props?.class, { 'p-datatable-frozen-column': isPinned(column) }],
      style: column.props?.style,
      'data-p-frozen-column': isPinned(column),
    },
    content,
  );

const PlainCell: FunctionalComponent<Given> = (given) => {
  const { column, rowData, rowIndex } = given;
  const { children } = column;
  if (!children?.body || isMeasured(column)) return h(whole as never, given as never);
  return drawn(column, children.body({ data: rowData, index: rowIndex }));
};
// What the row gives to a cell is for PrimeVue's cell; none of it becomes an attribute.
PlainCell.inheritAttrs = false;

// Another version of PrimeVue may be built differently. Then its cells stay as they are.
if (row?.components && whole) row.components.DTBodyCell = PlainCell as unknown as Drawn;

const footer = inside(['DTTableFooter']);
const wholeTotal = footer?.components?.DTFooterCell;
const PlainTotal: FunctionalComponent<{ column: Given['column'] }> = (given) => {
  const { props, children } = given.column;
  // A total may be a plain text as well; PrimeVue's cell draws it.
  if (props?.footer !== undefined || isMeasured(given.column)) return h(wholeTotal as never, given as never);
  return drawn(given.column, children?.footer?.({}));
};
PlainTotal.inheritAttrs = false;
if (footer?.components && wholeTotal) footer.components.DTFooterCell = PlainTotal as unknown as Drawn;

interface HeaderCell {
  column: VNode;
  styleObject: { insetInlineStart?: string };
  ptmo: (of: unknown, key: string) => object;
}
const header = inside(['DTTableHeader', 'DTHeaderCell'])?.methods;
const measure = header?.updateStickyPosition as (this: HeaderCell) => void;
if (header?.updateStickyPosition && header.getColumnPT)
  Object.assign(header, {
    /** To measure the place, the browser would have to lay out the whole page first. */
    updateStickyPosition(this: HeaderCell): void {
      const place = placeOf(this.column.props?.style);
      if (place === undefined) measure.call(this);
      else this.styleObject.insetInlineStart = place;
    },
    /** Attributes of a header cell: those of the column, and no others. */
    getColumnPT(this: HeaderCell, key: string): object {
      return this.ptmo(this.column.props?.pt, key);
    },
  });
export const PlainTable = DataTable;
