/** What is booked already for one visit and event type: conversions, ledger balances, postbacks out. Read at once. */
import type { FoldedConversion } from '@tracheon/core/conversions';
import type { Reads } from '../db/pools.ts';
import type { StoredVisit } from '@tracheon/core/visits';

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
}
export interface Booked {
  conversion_id: string;
  kind: 'hold' | 'earn';
  currency: string;
  delta: bigint;
  base: bigint;
  /** The rate used first stays with the conversion; null while none was known. */
  rate: bigint | null;
}
export interface StandingPostback {
  conversion_id: string;
  seq: number;
  status: string;
  url: string;
  untouched: boolean;
}
export interface Standing {
  conversions: StandingConversion[];
  booked: Booked[];
  postbacksOut: StandingPostback[];
}

/** The owner's conversions; for each of them the rest is looked up by its key, whatever the planner believes of the tables. */
const IS_OWN = `c.desk_id = $1 AND c.owner = $2 AND c.event_type_id = $3 AND c.is_test = $4`;

export async function loadStanding(
  client: Reads,
  deskId: string,
  visit: StoredVisit,
  eventTypeId: string,
): Promise<Standing> {
  const owner = [deskId, visit.id, eventTypeId, visit.isTest];
  const [conversions, booked, postbacksOut] = await Promise.all([
    client.query<StandingConversion>(
      `SELECT id, ident, status, payout_micros, currency, base_micros, converted_at, flags, noted_micros, noted_currency,
         extras, reported, offer_id FROM conversions
       WHERE desk_id = $1 AND owner = $2 AND event_type_id = $3 AND is_test = $4`,
      owner,
    ),
    client.query<
      Record<'conversion_id' | 'kind' | 'currency' | 'delta', string> & {
        base: string | null;
        rate: string | null;
      }
    >(
      `SELECT l.* FROM conversions c JOIN LATERAL (
         SELECT conversion_id, kind, currency, sum(delta_micros) AS delta, sum(base_delta_micros) AS base, max(rate_nanos) AS rate
         FROM ledger WHERE desk_id = $1 AND conversion_id = c.id GROUP BY 1, 2, 3 OFFSET 0) l ON true WHERE ${IS_OWN}`,
      owner,
    ),
    client.query<StandingPostback>(
      `SELECT o.* FROM conversions c JOIN LATERAL (
         SELECT conversion_id, seq, status, url, state = 'waiting' AND tries = 0 AS untouched FROM outbox
         WHERE desk_id = $1 AND conversion_id = c.id OFFSET 0) o ON true WHERE ${IS_OWN}`,
      owner,
    ),
  ]);
  return {
    conversions: conversions.rows,
    booked: booked.rows.map((r) => ({
      conversion_id: r.conversion_id,
      kind: r.kind as Booked['kind'],
      currency: r.currency,
      delta: BigInt(r.delta),
      base: BigInt(r.base ?? 0),
      rate: r.rate === null ? null : BigInt(r.rate),
    })),
    postbacksOut: postbacksOut.rows,
  };
}
