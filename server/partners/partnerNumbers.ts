/**
 * What a partner's links have brought. Visits come from the index, which knows them by every dimension; conversions and payouts
 * from the records themselves, with their exact amounts in the currencies in which they are paid.
 */
import type { Pool } from 'pg';
import {
  isTakenBack,
  numbersAsked,
  type ConversionStatus,
  type NumbersAnswer,
  type NumbersAsked,
} from '@tracheon/core/contract';
import type { PartnerNumbers, PartnerNumbersRow } from '@tracheon/core/contract/partnerPage';
import { dayStart, shiftDay } from '@tracheon/core/time';
import { Problem } from '../problems/problem.ts';

const MAX_ROWS = 1000;

export interface NumbersWanted {
  deskId: string;
  partnerId: string;
  zone: string;
  from: string;
  to: string;
  by: string;
  subs: string[];
}
type Ask = (asked: NumbersAsked) => Promise<NumbersAnswer>;
type Sums = Omit<PartnerNumbersRow, 'id' | 'name'>;

export async function partnerNumbers(pool: Pool, ask: Ask, of: NumbersWanted): Promise<PartnerNumbers> {
  if (of.by.startsWith('sub_') && !of.subs.includes(of.by.slice(4))) throw new Problem('not_found');
  const [visits, conversions] = await Promise.all([visitsBy(ask, of), conversionsBy(pool, of)]);
  const rows = new Map<string, PartnerNumbersRow>();
  const rowOf = (id: string): PartnerNumbersRow => {
    const there = rows.get(id) ?? { id, name: id, ...nothingYet(visits !== null && of.by !== 'event') };
    rows.set(id, there);
    return there;
  };
  for (const { id, name, count } of visits?.rows ?? []) Object.assign(rowOf(id), { name, visits: count });
  const total = nothingYet(visits !== null);
  total.visits = visits && visits.total;
  for (const c of conversions) {
    const row = rowOf(c.id);
    row.name = c.name;
    add(row, c);
    add(total, c);
  }
  const all = [...rows.values()].sort(of.by === 'day' ? byDay : byWeight);
  return { rows: all.slice(0, MAX_ROWS), total, isCut: all.length > MAX_ROWS, subs: of.subs };
}

const byDay = (a: PartnerNumbersRow, b: PartnerNumbersRow): number => (a.id < b.id ? 1 : -1);
const byWeight = (a: PartnerNumbersRow, b: PartnerNumbersRow): number =>
  b.conversions - a.conversions || (b.visits ?? 0) - (a.visits ?? 0) || a.name.localeCompare(b.name);
const nothingYet = (isKnown: boolean): Sums => ({
  visits: isKnown ? 0 : null,
  conversions: 0,
  pending: 0,
  approved: 0,
  rejected: 0,
  payouts: [],
});

interface Counted {
  id: string;
  name: string;
  status: ConversionStatus;
  currency: string;
  count: number;
  micros: string;
}

function add(sums: Sums, { status, currency, count, micros }: Counted): void {
  sums.conversions += count;
  const which = isTakenBack(status) ? 'rejected' : status === 'approved' ? 'approved' : 'pending';
  sums[which] += count;
  if (which === 'rejected') return;
  let paid = sums.payouts.find((p) => p.currency === currency);
  if (!paid) sums.payouts.push((paid = { currency, pendingMicros: '0', approvedMicros: '0' }));
  const key = `${which}Micros` as const;
  paid[key] = String(BigInt(paid[key]) + BigInt(micros));
}

/** How conversions are told apart, what each group is called, and what both are asked with as $5. */
function groupOf({ by, zone }: NumbersWanted): { id: string; name: string; with: string[] } {
  if (by === 'day')
    return { id: `to_char(c.converted_at AT TIME ZONE $5, 'YYYY-MM-DD')`, name: `''`, with: [zone] };
  if (by === 'offer')
    return { id: 'c.offer_id', name: '(SELECT name FROM parts WHERE id = c.offer_id)', with: [] };
  if (by === 'event')
    return { id: 'c.event_type_id', name: '(SELECT name FROM parts WHERE id = c.event_type_id)', with: [] };
  return { id: `coalesce(c.subs->>$5, '')`, name: `''`, with: [by.slice(4)] };
}

async function conversionsBy(pool: Pool, of: NumbersWanted): Promise<Counted[]> {
  const { id, name, with: more } = groupOf(of);
  const { rows } = await pool.query<Counted>(
    `SELECT id, coalesce(nullif(max(name), ''), id) AS name, status, currency, count(*)::int AS count, sum(micros)::text AS micros
     FROM (SELECT ${id} AS id, ${name} AS name, c.partner_status AS status, c.partner_currency AS currency, c.partner_micros AS micros
       FROM conversions c WHERE c.desk_id = $1 AND c.brought_by = $2 AND c.converted_at >= $3 AND c.converted_at < $4
         AND NOT c.is_test AND c.partner_status IS NOT NULL) g
     GROUP BY id, status, currency ORDER BY id`,
    [
      of.deskId,
      of.partnerId,
      new Date(dayStart(of.from, of.zone)),
      new Date(dayStart(shiftDay(of.to, 1), of.zone)),
      ...more,
    ],
  );
  return rows;
}

/** null: the index is being built, or does not answer; conversions are shown without it. */
async function visitsBy(
  ask: Ask,
  of: NumbersWanted,
): Promise<{ rows: { id: string; name: string; count: number }[]; total: number } | null> {
  try {
    const answer = await ask(
      numbersAsked.parse({
        from: of.from,
        to: of.to,
        by: [{ event: 'day', offer: 'offer_id' }[of.by] ?? of.by],
        only: [{ by: 'brought_by', is: 'is', values: [of.partnerId] }],
        limit: MAX_ROWS,
      }),
    );
    const rows = of.by === 'event' ? [] : answer.rows;
    return {
      rows: rows.map((r) => ({
        id: r.values[0]!,
        name: r.names[0] || r.values[0]!,
        count: r.figures.visits,
      })),
      total: answer.total.visits,
    };
  } catch (error) {
    if (
      error instanceof Problem &&
      ['numbers_building', 'numbers_away', 'question_too_long'].includes(error.code)
    )
      return null;
    throw error;
  }
}
