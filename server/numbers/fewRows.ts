/**
 * Questions whose gathered rows are few are finished here. Each statement takes DuckDB milliseconds, however little there is to
 * do: choosing the rows of a page and summing them by statements is worth it only where there are many.
 */
import {
  SORT_BY_VERDICT,
  type EventSums,
  type FigureFilter,
  type Figures,
  type NumbersAsked,
} from '@tracheon/core/contract';
import { anyFigure, eventSums, figures, figuresBehind, type ApprovalRate } from '@tracheon/core/metrics';
import { compareVerdicts } from './byVerdict.ts';
import { addByFlags } from './flagSums.ts';
import { conversionSums, keyNames, type Gathering, type Stretch } from './gather.ts';
import { Gathered, newRow, together, type ConversionKind, type SumsOfAll } from './gathered.ts';
import { inOrderOfNames, writePage } from './page.ts';
import { OWN_SEGMENT, type Segment } from './rateSegments.ts';
import { sourcesOfRows } from './rowSources.ts';
import type { PageSums } from './sums.ts';
import { verdictGround, verdictOf } from './verdicts.ts';

/** Above these, statements are quicker. */
export const FEW_ROWS = 2000;

interface FewRow {
  values: string[];
  here: Gathered;
  before: Gathered;
  /** Of its visits of the stretch. */
  sources: Set<string>;
}
export interface ChosenRows {
  count: number;
  page: PageSums;
  before: PageSums | null;
  sources: readonly string[];
}
type Read = Record<string, unknown>;

export class FewRows {
  private readonly rows = new Map<string, FewRow>();
  private readonly kinds = new Map<string, ConversionKind>();

  private constructor(
    private readonly of: Gathering,
    private readonly segments: readonly Segment[],
  ) {}

  /** Of the stretch and, where one is compared, the one before; their visits are gathered. null: there are too many rows. */
  static async read(
    of: Gathering,
    stretches: readonly Stretch[],
    segments: readonly Segment[],
  ): Promise<FewRows | null> {
    const few = new FewRows(of, segments);
    for (const stretch of stretches) {
      await few.readVisits(stretch);
      if (!(await few.readConversions(stretch))) return null;
    }
    return few;
  }

  private rowOf(read: Read, { suffix }: Stretch): { row: FewRow; gathered: Gathered } {
    const values = keyNames(this.of).map((name) => read[name] as string);
    const key = JSON.stringify(values);
    let row = this.rows.get(key);
    if (!row) {
      row = { values, here: new Gathered(), before: new Gathered(), sources: new Set() };
      this.rows.set(key, row);
    }
    return { row, gathered: suffix === '' ? row.here : row.before };
  }

  private async readVisits(stretch: Stretch): Promise<void> {
    const by = [...keyNames(this.of), ...(this.of.isBySource ? ['source'] : [])].join(', ');
    const reader = await this.of.connection.runAndReadAll(
      `SELECT ${by}, segment, young, f::INTEGER AS f, n::DOUBLE AS n, priced::DOUBLE AS priced, cost FROM gv${stretch.suffix}`,
    );
    for (const read of reader.getRowObjectsJS() as Read[]) {
      const { row, gathered } = this.rowOf(read, stretch);
      const sum = gathered.visitsOf({ segment: read.segment as number, young: read.young as boolean });
      addByFlags(sum.raw, read.f as number, {
        n: read.n as number,
        priced: read.priced as number,
        cost: read.cost as bigint,
      });
      if (stretch.suffix === '' && this.of.isBySource) row.sources.add(read.source as string);
    }
  }

  private async readConversions(stretch: Stretch): Promise<boolean> {
    const { sql, values } = conversionSums(this.of, stretch, this.segments);
    const reader = await this.of.connection.runAndReadUntil(sql, this.of.fewRows + 1, values);
    if (!reader.done || reader.currentRowCount > this.of.fewRows) return false;
    for (const read of reader.getRowObjectsJS() as (Read & ConversionKind)[])
      this.rowOf(read, stretch).gathered.conversions.push({
        segment: read.segment as number,
        young: read.young as boolean,
        kind: this.kindOf(read),
        n: read.n as number,
        amount: read.amount as bigint,
        estimated: read.estimated as bigint,
        waiting: read.waiting as bigint,
        partner: read.partner as bigint,
      });
    return true;
  }

  /** Sums are added up by the kind itself. */
  private kindOf({ o, w, e, s, c }: ConversionKind): ConversionKind {
    const key = JSON.stringify([o, w, e, s, c]);
    let kind = this.kinds.get(key);
    if (!kind) this.kinds.set(key, (kind = { o, w, e, s, c }));
    return kind;
  }

  /** The rows of the page that is asked for; `judges`: with their sources, for verdicts. */
  async chosen(
    asked: NumbersAsked,
    approval: ApprovalRate,
    stretch: Stretch,
    judges: boolean,
  ): Promise<ChosenRows> {
    // Values that only the other period has get rows as well: what is gone is a change, too.
    for (const { here } of this.rows.values())
      if (here.isEmpty) here.visits.push(newRow({ segment: OWN_SEGMENT, young: false }));
    const all = [...this.rows.values()];
    const total = this.made(together(all.map((row) => row.here)));
    const found = this.sorted(asked, approval, judges, total);
    const shown = found.slice(asked.offset, asked.offset + asked.limit);
    const upToHere = new Set(found.slice(0, asked.offset + asked.limit));
    const rest = all.filter((row) => !upToHere.has(row)).map((row) => row.here);
    const rowsOf = (pick: (row: FewRow) => Gathered) =>
      shown.map((row) => ({ values: row.values, ...this.made(pick(row)) }));
    return {
      count: found.length,
      page: {
        rows: rowsOf((row) => row.here),
        all: total,
        rest: rest.length === 0 ? null : this.made(together(rest)),
      },
      before: asked.against && {
        rows: rowsOf((row) => row.before),
        all: this.made(together(all.map((row) => row.before))),
        rest: null,
      },
      sources: judges ? await this.sourcesOf(shown, stretch) : [],
    };
  }

  private made(gathered: Gathered): SumsOfAll {
    return gathered.made(this.segments, this.of.ground);
  }

  private sourcesOf(shown: readonly FewRow[], stretch: Stretch): Promise<string[]> | string[] {
    if (this.of.isBySource) return shown.map(({ sources }) => (sources.size === 1 ? [...sources][0]! : ''));
    const values = shown.map((row) => row.values);
    return sourcesOfRows(this.of, stretch, values, () => writePage(this.of, values, 0));
  }

  /** Those that are searched for and meet the filters, in their order. */
  private sorted(asked: NumbersAsked, approval: ApprovalRate, judges: boolean, total: SumsOfAll): FewRow[] {
    const isByVerdict = asked.sort === SORT_BY_VERDICT;
    const sort = isByVerdict ? 'spentMicros' : asked.sort;
    const isDescending = isByVerdict && judges ? true : asked.isDescending;
    const { valueOf, meets } = this.valuesOf(asked, sort, approval, judges);
    const isSearched = this.searched(asked.search);
    const found = [...this.rows.values()].filter((row) => isSearched(row) && meets(row));
    if (sort === '') return inOrderOfNames(this.of, found, isDescending);
    const value = new Map(found.map((row) => [row, valueOf(sort, row)]));
    found.sort((a, b) => compareValues(value.get(a)!, value.get(b)!, isDescending) || compareKeys(a, b));
    return isByVerdict && judges ? this.byVerdict(found, asked, approval, total) : found;
  }

  private valuesOf(asked: NumbersAsked, sort: string, approval: ApprovalRate, judges: boolean) {
    const { ground, basis } = this.of;
    const names = [...(sort === '' ? [] : [sort]), ...asked.having.map((f) => f.figure)];
    const behind = figuresBehind(names, ground.ownFigures);
    const shown = new Map<FewRow, { figures: Figures; events: EventSums[] }>();
    const valueOf = (name: string, row: FewRow): number | null => {
      let of = shown.get(row);
      if (!of) {
        const made = this.made(row.here);
        const sums = judges && asked.onlyMature ? made.mature : made.sums;
        of = { figures: figures(sums, approval, basis, behind), events: eventSums(sums, approval) };
        shown.set(row, of);
      }
      return anyFigure(name, of, ground.ownFigures);
    };
    const meets = (row: FewRow): boolean =>
      asked.having.every(({ figure, is, than }) => {
        const value = valueOf(figure, row);
        return value !== null && compares[is](value, than);
      });
    return { valueOf, meets };
  }

  /** Whether a row's last value, or its name, has the text in it. */
  private searched(search: string): (row: FewRow) => boolean {
    if (search === '') return () => true;
    const text = search.toLowerCase();
    const named = new Set(this.of.ground.idsNamed(this.of.keys.at(-1)!, search));
    return ({ values }) => values.at(-1)!.toLowerCase().includes(text) || named.has(values.at(-1)!);
  }

  private byVerdict(
    found: readonly FewRow[],
    { isDescending }: NumbersAsked,
    approval: ApprovalRate,
    total: SumsOfAll,
  ): FewRow[] {
    const by = verdictGround(this.of.ground, approval, total);
    const judged = found.map((row) => ({
      row,
      // In which unit bids are made changes no verdict.
      verdict: verdictOf(figures(this.made(row.here).mature, approval), by, ''),
    }));
    judged.sort((a, b) => compareVerdicts(a.verdict, b.verdict));
    if (isDescending) judged.reverse();
    return judged.map((j) => j.row);
  }
}

const compares: Record<FigureFilter['is'], (value: number, than: number) => boolean> = {
  '<': (value, than) => value < than,
  '<=': (value, than) => value <= than,
  '=': (value, than) => value === than,
  '!=': (value, than) => value !== than,
  '>=': (value, than) => value >= than,
  '>': (value, than) => value > than,
};
/** What is empty comes last, whichever the direction. */
function compareValues(a: number | null, b: number | null, isDescending: boolean): number {
  if (a === null || b === null) return Number(a === null) - Number(b === null);
  return isDescending ? b - a : a - b;
}
/** As DuckDB compares texts. */
function compareKeys(a: FewRow, b: FewRow): number {
  for (const [i, value] of a.values.entries()) {
    const order = value === b.values[i] ? 0 : Buffer.compare(Buffer.from(value), Buffer.from(b.values[i]!));
    if (order !== 0) return order;
  }
  return 0;
}
