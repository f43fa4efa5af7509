/**
 * Questions, answered from the index. DuckDB gathers sums for each combination of values into a table of its own, and says
 * which rows the page has; only their sums, and those of all, are read, exactly, and made into figures by the same code as
 * everywhere. Nothing of a question but numbers, known columns and bound values reaches a statement.
 */
import type { DuckDBConnection } from '@duckdb/node-api';
import {
  SORT_BY_VERDICT,
  type Figures,
  type NumbersAnswer,
  type NumbersAsked,
  type NumbersQuestion,
} from '@tracheon/core/contract';
import { eventSums, figures, groupingOf, type ApprovalRate, type Sums } from '@tracheon/core/metrics';
import { dayStart, shiftDay } from '@tracheon/core/time';
import { chooseByVerdict } from './byVerdict.ts';
import { FEW_ROWS, FewRows, type ChosenRows } from './fewRows.ts';
import {
  addFormerKeys,
  gatherConversions,
  gatherVisits,
  makeQuarters,
  type Gathering,
  type Stretch,
} from './gather.ts';
import { onceWritten } from './onceWritten.ts';
import { rateSegments, type Segment } from './rateSegments.ts';
import { inCurrency, type NumbersGround } from './ground.ts';
import type { DeskTables } from './indexFile.ts';
import { asKnownAt, type LaterCost } from './asKnown.ts';
import { loadMaturity, noMaturity } from './maturity.ts';
import { choosePage } from './page.ts';
import { isToldBySource, sourcesOfRows } from './rowSources.ts';
import { noSums, type SumsOfAll } from './gathered.ts';
import { loadApproval, pageSums } from './sums.ts';
import { givesVerdicts, VERDICT_FIGURES, verdictGround, verdictOf } from './verdicts.ts';

type Answer = Omit<NumbersAnswer, 'fedAt'>;

/** Answers from a connection of its own, which the caller may interrupt. */
export async function answer(
  connection: DuckDBConnection,
  all: DeskTables | undefined,
  given: NumbersGround,
  asked: NumbersQuestion,
  /** Costs that were booked after the moment that is asked about. */
  laterCosts: readonly LaterCost[] = [],
  fewRows = FEW_ROWS,
): Promise<Answer> {
  const past = asked.moment?.isPast ? asked.moment.ms : null;
  const tables = all && past !== null ? await asKnownAt(connection, all, past, laterCosts) : all;
  const ground = inCurrency(given, asked.currency);
  const keys = asked.by.map((name) => groupingOf(name)!);
  const shared = {
    zone: ground.zone,
    currency: ground.currency,
    subs: tables ? [...tables.subs.keys()].sort() : [],
    hasMoreSubs: tables?.hasMoreSubs ?? false,
    currencies: [given.deskCurrency, ...new Set(given.rates.map((r) => r.base))].sort(),
    extras: tables ? [...tables.conversionExtras.keys()].sort() : [],
  };
  if (!tables) return { ...shared, ...nothing(asked) };
  const knownUntilMs = asked.asOf === null ? null : dayStart(asked.asOf, ground.zone);
  const byVisit = asked.dayOf === 'visit';
  const maturity = givesVerdicts(asked)
    ? await loadMaturity(connection, tables, ground, knownUntilMs ?? asked.moment?.ms ?? Date.now())
    : null;
  const about: Omit<Gathering, 'isBySource'> = {
    connection,
    tables,
    ground,
    keys,
    under: asked.under.map((u) => ({ grouping: groupingOf(u.by)!, value: u.value })),
    only: asked.only.map((o) => ({ grouping: groupingOf(o.by)!, is: o.is, values: o.values })),
    isYoung: maturity?.isYoung ?? noMaturity,
    youngFromMs: maturity?.youngFromMs ?? Infinity,
    knownUntilMs,
    basis: asked.basis,
    conversionTime: byVisit ? 'visit_at' : 'converted_at',
    fewRows,
  };
  const of = { ...about, isBySource: givesVerdicts(asked) && (await isToldBySource(about)) };
  const found = await gathered(of, asked);
  return { ...shared, ...answered(of, asked, found), youngHours: maturity?.hours ?? null };
}

const noFigures = figures(noSums(), () => ({ basis: '', approved: 0, decided: 0 }));
/** Nothing of the desk has come yet. */
const nothing = (asked: NumbersAsked) => ({
  rows: [],
  count: 0,
  total: noFigures,
  totalEvents: [],
  totalBefore: asked.against ? noFigures : null,
  rest: null,
  youngHours: null,
});

interface Found extends ChosenRows {
  approval: ApprovalRate;
}
type Period = Pick<NumbersAsked, 'from' | 'to'>;
const stretchOf = ({ from, to }: Period, zone: string, suffix: Stretch['suffix']): Stretch => ({
  fromMs: dayStart(from, zone),
  toMs: dayStart(shiftDay(to, 1), zone),
  suffix,
});

async function gathered(of: Gathering, asked: NumbersAsked): Promise<Found> {
  const { zone } = of.ground;
  const here = asked.between ? { ...asked.between, suffix: '' as const } : stretchOf(asked, zone, '');
  const before = asked.against && stretchOf(asked.against, zone, '_before');
  const stretches = before ? [here, before] : [here];
  const segments = await rateSegments(of, Math.min(...stretches.map((s) => s.fromMs)));
  await of.tables.keptSums?.clean(of.connection);
  const visits: Awaited<ReturnType<typeof gatherVisits>>[] = [];
  for (const stretch of stretches) {
    await makeQuarters(of, stretch);
    visits.push(await gatherVisits(of, stretch, segments));
  }
  const approval = await onceWritten(of.tables, 'approval', () => loadApproval(of));
  if (visits.every(({ rows }) => rows <= of.fewRows)) {
    const few = await FewRows.read(of, stretches, segments);
    if (few) return { approval, ...(await few.chosen(asked, approval, here, givesVerdicts(asked))) };
  }
  for (const stretch of stretches) await gatherConversions(of, stretch, segments);
  if (before) await addFormerKeys(of, visits[0]!.table);
  return { approval, ...(await chosen(of, asked, segments, approval, here)) };
}

/** Of many gathered rows, those of the page. */
async function chosen(
  of: Gathering,
  asked: NumbersAsked,
  segments: readonly Segment[],
  approval: ApprovalRate,
  here: Stretch,
): Promise<ChosenRows> {
  const isByVerdict = asked.sort === SORT_BY_VERDICT;
  const { count, rows } =
    isByVerdict && givesVerdicts(asked)
      ? await chooseByVerdict(of, asked, segments, approval)
      : await choosePage(of, isByVerdict ? { ...asked, sort: 'spentMicros' } : asked, segments, approval);
  return {
    count,
    page: await pageSums(of, segments, rows),
    before: asked.against && (await pageSums(of, segments, rows, '_before')),
    sources: givesVerdicts(asked) ? await sourcesOfRows(of, here, rows) : [],
  };
}

function answered(of: Gathering, asked: NumbersQuestion, found: Found) {
  const { approval, count, page, before, sources } = found;
  const { keys, ground } = of;
  const total = page.all;
  const isShort = count > asked.offset + page.rows.length || asked.search !== '' || asked.having.length > 0;
  const judged = givesVerdicts(asked) ? verdictGround(ground, approval, total) : null;
  const onlyMature = judged !== null && asked.onlyMature;
  const only = asked.figures && new Set([...asked.figures, ...VERDICT_FIGURES]);
  const figuresOf = (sums: Sums): Figures => figures(sums, approval, of.basis, only);
  const shown = ({ sums, mature }: SumsOfAll): Sums => (onlyMature ? mature : sums);
  return {
    rows: page.rows.map((row, i) => {
      const mature = judged && figuresOf(row.mature);
      return {
        values: row.values,
        names: row.values.map((value, k) => ground.nameOf(keys[k]!, value, campaignOf(asked, row.values))),
        figures: onlyMature ? mature! : figuresOf(row.sums),
        events: eventSums(shown(row), approval),
        before: before ? figuresOf(before.rows[i]!.sums) : null,
        verdict: judged && verdictOf(mature!, judged, sources[i]!),
      };
    }),
    count,
    total: figuresOf(shown(total)),
    totalEvents: eventSums(shown(total), approval),
    totalBefore: before && figuresOf(before.all.sums),
    rest: isShort && page.rest ? figuresOf(page.rest.sums) : null,
  };
}

/** The campaign that a row is of: by its own values, or by those that the question is narrowed to; empty for several. */
function campaignOf({ by, under, only }: NumbersAsked, values: readonly string[]): string {
  const at = by.indexOf(CAMPAIGN);
  if (at >= 0) return values[at]!;
  const filter = only.find((f) => f.by === CAMPAIGN && f.is === 'is' && f.values.length === 1);
  return under.find((u) => u.by === CAMPAIGN)?.value ?? filter?.values[0] ?? '';
}
const CAMPAIGN = 'campaign_id';
