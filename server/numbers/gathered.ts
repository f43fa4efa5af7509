/** What was gathered of a row of an answer, and how it is made into sums that core reckons with. */
import { statusOf, type ConversionStatus } from '@tracheon/core/contract';
import { newVisits, visitCosts, visitCounts, type Sums } from '@tracheon/core/metrics';
import { convert } from '@tracheon/core/money';
import type { RawVisits } from './flagSums.ts';
import type { NumbersGround } from './ground.ts';
import type { Segment } from './rateSegments.ts';

export const noSums = (): Sums => ({ visits: newVisits(), conversions: [], unconverted: [] });

/** Of the visits of one row, segment and age. */
export interface VisitRow {
  segment: number;
  young: boolean;
  raw: RawVisits;
}
/** What conversions are told apart by. */
export interface ConversionKind {
  o: string;
  w: string;
  e: string;
  s: ConversionStatus;
  c: string;
}
/** Of the conversions of one row, segment, age and kind. */
export interface ConversionRow {
  segment: number;
  young: boolean;
  kind: ConversionKind;
  n: number;
  amount: bigint;
  /** Of `amount`. */
  estimated: bigint;
  waiting: bigint;
  partner: bigint;
}

export interface SumsOfAll {
  sums: Sums;
  /** Of visits that are old enough for a verdict. */
  mature: Sums;
}
type Aged = Pick<VisitRow, 'segment' | 'young'>;
export const newRow = (aged: Aged): VisitRow => ({ ...aged, raw: newVisits() });
const agedKey = ({ segment, young }: Aged): number => segment * 2 + Number(young);

/** What was gathered of one row of an answer: once for each segment and age, conversions of each kind for themselves. */
export class Gathered {
  readonly visits: VisitRow[] = [];
  readonly conversions: ConversionRow[] = [];

  /** The one that visits of this segment and age are added to. */
  visitsOf({ segment, young }: Aged): VisitRow {
    let row = this.visits.find((r) => r.segment === segment && r.young === young);
    if (!row) this.visits.push((row = newRow({ segment, young })));
    return row;
  }

  get isEmpty(): boolean {
    return this.visits.length === 0 && this.conversions.length === 0;
  }

  made(segments: readonly Segment[], ground: NumbersGround): SumsOfAll {
    const all = { sums: noSums(), mature: noSums() };
    for (const { segment, young, raw } of this.visits)
      for (const sums of young ? [all.sums] : [all.sums, all.mature])
        putVisits(sums, raw, segments[segment], ground);
    for (const row of this.conversions)
      for (const sums of row.young ? [all.sums] : [all.sums, all.mature])
        putConversions(sums, row, segments[row.segment], ground);
    return all;
  }
}

/** Sums of all of them: added before any amount is converted, so that nothing is rounded twice. */
export function together(each: readonly Gathered[]): Gathered {
  const all = new Gathered();
  const visits = new Map<number, VisitRow>();
  const conversions = new Map<ConversionKind, Map<number, ConversionRow>>();
  for (const one of each) {
    for (const row of one.visits) {
      const sum = visits.get(agedKey(row));
      if (sum) addVisits(sum.raw, row.raw);
      else visits.set(agedKey(row), { ...row, raw: { ...row.raw } });
    }
    for (const row of one.conversions) {
      let ofKind = conversions.get(row.kind);
      if (!ofKind) conversions.set(row.kind, (ofKind = new Map()));
      const sum = ofKind.get(agedKey(row));
      if (!sum) ofKind.set(agedKey(row), { ...row });
      else {
        sum.n += row.n;
        for (const name of AMOUNTS) sum[name] += row[name];
      }
    }
  }
  all.visits.push(...visits.values());
  for (const ofKind of conversions.values()) all.conversions.push(...ofKind.values());
  return all;
}
const AMOUNTS = ['amount', 'estimated', 'waiting', 'partner'] as const;
function addVisits(to: RawVisits, raw: RawVisits): void {
  for (const name of visitCounts) to[name] += raw[name];
  for (const name of visitCosts) to[name] += raw[name];
}

/** `segment`: none where costs are in the desk's own currency. */
function putVisits(
  { visits: v, unconverted }: Sums,
  raw: RawVisits,
  segment: Segment | undefined,
  ground: NumbersGround,
): void {
  for (const name of visitCounts) v[name] += raw[name];
  const { currency, nanos } = segment ?? { currency: ground.currency, nanos: ONE };
  if (nanos === null) unconverted.push({ currency, spent: raw.spent, earned: 0n, onHold: 0n });
  else for (const name of visitCosts) v[name] += converted(raw[name], nanos);
}
const ONE = 1_000_000_000n;
const converted = (amount: bigint, nanos: bigint): bigint =>
  nanos === ONE ? amount : convert(amount, nanos);

function putConversions(
  sums: Sums,
  row: ConversionRow,
  segment: Segment | undefined,
  ground: NumbersGround,
): void {
  const type = ground.eventTypes.get(row.kind.e) ?? { asConversion: false, asRevenue: false };
  const nanos = segment ? segment.nanos : ONE;
  sums.conversions.push({
    offerId: row.kind.o,
    networkId: row.kind.w,
    eventTypeId: row.kind.e,
    status: row.kind.s,
    countsAsConversion: type.asConversion,
    countsAsRevenue: type.asRevenue,
    count: row.n,
    amount: nanos === null ? 0n : converted(row.amount, nanos),
    estimated: nanos === null ? 0n : converted(row.estimated, nanos),
    partner: nanos === null ? 0n : converted(row.partner, nanos),
  });
  if (!type.asRevenue) return;
  const { balance } = statusOf[row.kind.s];
  const wait = (currency: string, amount: bigint): void => {
    if (amount === 0n) return;
    sums.unconverted.push({
      currency,
      spent: 0n,
      earned: balance === 'earn' ? amount : 0n,
      onHold: balance === 'hold' ? amount : 0n,
    });
  };
  wait(row.kind.c, row.waiting);
  if (nanos === null) wait(ground.deskCurrency, row.amount);
}
