/** What is booked already for visits and their event types: conversions, ledger balances, postbacks out. Read at once. */
import type { LedgerKind } from '@tracheon/core/contract';
import type { FoldedConversion } from '@tracheon/core/conversions';
import type { Reads } from '../db/pools.ts';
import type { StoredVisit } from '@tracheon/core/visits';
import type { PostbackRequest } from './postbackText.ts';
import { ownerKey, visitKeys } from './outcomes.ts';

export interface StandingConversion {
  id: string;
  ident: string;
  status: FoldedConversion['status'];
  payout_micros: string;
  currency: string;
  base_micros: string | null;
  converted_at: Date;
  flags: string[];
  noted_micros: string | null;
  noted_currency: string | null;
  extras: Record<string, string>;
  reported: boolean | null;
  offer_id: string;
  brought_by: string;
  partner_status: FoldedConversion['status'] | null;
  partner_micros: string | null;
  partner_currency: string | null;
  partner_base_micros: string | null;
  partner_due_at: Date | null;
}
export interface Booked {
  conversion_id: string;
  kind: LedgerKind;
  currency: string;
  /** Who is owed; empty for revenue. */
  partner_id: string;
  delta: bigint;
  base: bigint;
  /** The rate used first stays with the conversion; null while none was known. */
  rate: bigint | null;
}
export interface StandingPostback {
  conversion_id: string;
  /** The source or the partner that is told. */
  destination_id: string;
  seq: number;
  status: string;
  nth: number;
  method: PostbackRequest['method'];
  url: string;
  body: string;
  due_at: Date;
  untouched: boolean;
}
export interface Standing {
  conversions: StandingConversion[];
  booked: Booked[];
  postbacksOut: StandingPostback[];
}

/** The owners' conversions; for each of them the rest is looked up by its key, whatever the planner believes of the tables. */
const OWN = `unnest($1::text[], $2::text[]) AS k (of_desk, visit) CROSS JOIN LATERAL (
  SELECT * FROM conversions WHERE desk_id = k.of_desk AND owner = k.visit OFFSET 0) c`;

interface OfOwner {
  desk_id: string;
  owner: string;
  event_type_id: string;
}
type BookedRow = Record<'conversion_id' | 'kind' | 'currency' | 'partner_id' | 'delta', string> & {
  base: string | null;
  rate: string | null;
};

/** By owner; of other event types of the visits as well. Nothing where nothing is booked. */
export async function loadStandings(
  client: Reads,
  visits: readonly Pick<StoredVisit, 'deskId' | 'id'>[],
): Promise<Map<string, Standing>> {
  const owners = visitKeys(visits);
  const [conversions, booked, postbacksOut] = await Promise.all([
    client.query<StandingConversion & OfOwner>(
      `SELECT desk_id, owner, event_type_id, id, ident, status, payout_micros, currency, base_micros, converted_at, flags,
         noted_micros, noted_currency, extras, reported, offer_id, brought_by,
         partner_status, partner_micros, partner_currency, partner_base_micros, partner_due_at FROM ${OWN} ORDER BY id`,
      owners,
    ),
    client.query<BookedRow>(
      `SELECT l.* FROM ${OWN} JOIN LATERAL (
         SELECT conversion_id, kind, currency, partner_id, sum(delta_micros) AS delta, sum(base_delta_micros) AS base, max(rate_nanos) AS rate
         FROM ledger WHERE desk_id = c.desk_id AND conversion_id = c.id GROUP BY 1, 2, 3, 4 OFFSET 0) l ON true`,
      owners,
    ),
    client.query<StandingPostback>(
      `SELECT o.* FROM ${OWN} JOIN LATERAL (
         SELECT conversion_id, destination_id, seq, status, nth, method, url, body, next_try_at AS due_at, state IN ('waiting', 'on_page') AND tries = 0 AS untouched FROM outbox
         WHERE desk_id = c.desk_id AND conversion_id = c.id OFFSET 0) o ON true`,
      owners,
    ),
  ]);
  const found = new Map<string, Standing>();
  const ofConversion = new Map<string, Standing>();
  for (const { desk_id, owner, event_type_id, ...row } of conversions.rows) {
    const key = ownerKey(desk_id, { visitId: owner, eventTypeId: event_type_id });
    const standing = found.get(key) ?? nothingStands();
    found.set(key, standing);
    standing.conversions.push(row);
    ofConversion.set(row.id, standing);
  }
  for (const row of booked.rows) ofConversion.get(row.conversion_id)?.booked.push(asBooked(row));
  for (const row of postbacksOut.rows) ofConversion.get(row.conversion_id)?.postbacksOut.push(row);
  return found;
}

export const nothingStands = (): Standing => ({ conversions: [], booked: [], postbacksOut: [] });

const asBooked = (r: BookedRow): Booked => ({
  conversion_id: r.conversion_id,
  kind: r.kind as Booked['kind'],
  currency: r.currency,
  partner_id: r.partner_id,
  delta: BigInt(r.delta),
  base: BigInt(r.base ?? 0),
  rate: r.rate === null ? null : BigInt(r.rate),
});
