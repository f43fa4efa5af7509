/** Partners' access to own offers: asked for by a partner, decided by a member; and the terms that a partner accepts. */
import type { Pool, PoolClient } from 'pg';
import {
  accessMoves,
  wholeBody,
  type AccessRow,
  type AccessState,
  type OfferInput,
} from '@tracheon/core/contract';
import { inEventTransaction } from '../db/pools.ts';
import { Problem } from '../problems/problem.ts';
import type { By } from './partnerUsers.ts';

export interface StoredAccess {
  state: AccessState | 'none';
  reason: string;
  /** As they were accepted. */
  terms: string;
  termsAcceptedAt: Date | null;
}
export const noAccess: StoredAccess = { state: 'none', reason: '', terms: '', termsAcceptedAt: null };

interface Row {
  offerId: string;
  offerName: string;
  partnerId: string;
  partnerName: string;
  body: unknown;
  state: AccessState | null;
  askedAt: Date | null;
  askedBy: string;
  note: string | null;
  decidedAt: Date | null;
  decidedBy: string | null;
  reason: string | null;
  terms: string | null;
  termsAcceptedAt: Date | null;
  termsAcceptedBy: string;
}

const COLUMNS = `o.id AS "offerId", o.name AS "offerName", o.body, p.id AS "partnerId", p.name AS "partnerName", x.state,
  x.asked_at AS "askedAt", coalesce(a.name, '') AS "askedBy", x.note, x.decided_at AS "decidedAt", coalesce(m.name, '') AS "decidedBy", x.reason, x.terms,
  x.terms_accepted_at AS "termsAcceptedAt", coalesce(t.name, '') AS "termsAcceptedBy"`;
const JOINS = `LEFT JOIN offer_accesses x ON x.desk_id = o.desk_id AND x.offer_id = o.id AND x.partner_id = p.id
  LEFT JOIN members m ON m.id = x.decided_by LEFT JOIN partner_users a ON a.id = x.asked_by
  LEFT JOIN partner_users t ON t.id = x.terms_accepted_by`;

/** Terms that were accepted hold as long as they stand as they were read. */
export const acceptedAt = (
  terms: string,
  access: Pick<StoredAccess, 'terms' | 'termsAcceptedAt'>,
): Date | null => (terms !== '' && access.terms === terms ? access.termsAcceptedAt : null);

function asRow(r: Row): AccessRow {
  const offer = wholeBody('offer', r.body) as OfferInput;
  const accepted = acceptedAt(offer.partnerTerms, {
    terms: r.terms ?? '',
    termsAcceptedAt: r.termsAcceptedAt,
  });
  return {
    id: `${r.offerId} ${r.partnerId}`,
    offerId: r.offerId,
    offerName: r.offerName,
    partnerId: r.partnerId,
    partnerName: r.partnerName,
    access: offer.partnerAccess,
    state: r.state ?? 'none',
    askedAt: r.askedAt && r.askedAt.toISOString(),
    askedBy: r.askedBy,
    note: r.note ?? '',
    decidedAt: r.decidedAt && r.decidedAt.toISOString(),
    decidedBy: r.decidedBy ?? '',
    reason: r.reason ?? '',
    termsAcceptedAt: accepted && accepted.toISOString(),
    termsAcceptedBy: accepted ? r.termsAcceptedBy : '',
    hasTerms: offer.partnerTerms !== '',
  };
}

/** Of a partner: every offer that pays partners. Of an offer: every partner. Of neither: what was asked for or decided. */
export async function listOfferAccess(
  pool: Pool,
  deskId: string,
  { partnerId, offerId }: { partnerId: string; offerId: string },
): Promise<AccessRow[]> {
  const isAll = partnerId === '' && offerId === '';
  const { rows } = await pool.query<Row>(
    `SELECT ${COLUMNS} FROM parts o JOIN parts p ON p.desk_id = o.desk_id AND p.kind = 'partner' AND p.state = 'live' ${JOINS}
     WHERE o.desk_id = $1 AND o.kind = 'offer' AND o.state = 'live' AND ($2 = '' OR p.id = $2) AND ($3 = '' OR o.id = $3)
       AND (x.state IS NOT NULL OR (NOT $4 AND (coalesce(o.body->>'partnerAccess', 'hidden') <> 'hidden'
         OR jsonb_array_length(coalesce(o.body->'partnerPayouts', '[]')) > 0)))
     ORDER BY (x.state = 'asked') DESC NULLS LAST, lower(o.name), lower(p.name) LIMIT 2000`,
    [deskId, partnerId, offerId, isAll],
  );
  return rows.map(asRow);
}

interface Pair {
  offerId: string;
  partnerId: string;
}

export async function oneAccess(db: Pick<Pool, 'query'>, deskId: string, of: Pair): Promise<AccessRow> {
  const { rows } = await db.query<Row>(
    `SELECT ${COLUMNS} FROM parts o JOIN parts p ON p.desk_id = o.desk_id AND p.kind = 'partner' AND p.id = $3 ${JOINS}
     WHERE o.desk_id = $1 AND o.kind = 'offer' AND o.id = $2`,
    [deskId, of.offerId, of.partnerId],
  );
  if (!rows[0]) throw new Problem('not_found');
  return asRow(rows[0]);
}

/** Locks the row of both, which it makes where it is not there yet. Returns the state. */
async function lock(
  client: PoolClient,
  deskId: string,
  { offerId, partnerId }: Pair,
): Promise<AccessState | 'none'> {
  const key = [deskId, offerId, partnerId];
  await client.query(
    'INSERT INTO offer_accesses (desk_id, offer_id, partner_id) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING',
    key,
  );
  const { rows } = await client.query<{ state: AccessState | null }>(
    'SELECT state FROM offer_accesses WHERE desk_id = $1 AND offer_id = $2 AND partner_id = $3 FOR UPDATE',
    key,
  );
  return rows[0]!.state ?? 'none';
}

export interface Decision extends Pair {
  from: AccessState | 'none';
  to: AccessState;
  reason: string;
}

/** Refused when the state is no longer the one that the member saw. */
export async function decideOfferAccess(
  pool: Pool,
  by: By,
  { offerId, partnerId, from, to, reason }: Decision,
  nowMs: number,
): Promise<AccessRow> {
  const of = { offerId, partnerId };
  const at = new Date(nowMs);
  return inEventTransaction(pool, async (client) => {
    await oneAccess(client, by.deskId, of);
    const state = await lock(client, by.deskId, of);
    if (state !== from || !accessMoves[state].includes(to)) throw new Problem('access_moved');
    await client.query(
      `UPDATE offer_accesses SET state = $4, reason = $5, decided_at = $6, decided_by = $7
       WHERE desk_id = $1 AND offer_id = $2 AND partner_id = $3`,
      [by.deskId, offerId, partnerId, to, reason, at, by.memberId],
    );
    await keepPeriod(client, by.deskId, of, to, at);
    return oneAccess(client, by.deskId, of);
  });
}

async function keepPeriod(
  client: PoolClient,
  deskId: string,
  { offerId, partnerId }: Pair,
  to: AccessState,
  at: Date,
): Promise<void> {
  const key = [deskId, offerId, partnerId, at];
  if (to === 'approved')
    await client.query(
      `INSERT INTO offer_access_periods (desk_id, offer_id, partner_id, begins) VALUES ($1, $2, $3, $4)
       ON CONFLICT (desk_id, offer_id, partner_id, begins) DO UPDATE SET ends = NULL`,
      key,
    );
  else {
    const ended = await client.query(
      `UPDATE offer_access_periods SET ends = greatest($4, begins)
       WHERE desk_id = $1 AND offer_id = $2 AND partner_id = $3 AND ends IS NULL`,
      key,
    );
    // Of a partner who had it because everybody has: from now on it has not.
    if (to === 'ended' && ended.rowCount === 0)
      await client.query(
        `INSERT INTO offer_access_periods (desk_id, offer_id, partner_id, begins, ends) VALUES ($1, $2, $3, $4, $4)
         ON CONFLICT DO NOTHING`,
        key,
      );
  }
}

/** A partner asks; a second time only when the desk has neither answered yet nor refused. */
export async function askForOffer(
  pool: Pool,
  deskId: string,
  of: Pair & { userId: string; note: string },
  nowMs: number,
): Promise<void> {
  await inEventTransaction(pool, async (client) => {
    const state = await lock(client, deskId, of);
    if (state === 'asked') return;
    if (state !== 'none') throw new Problem('access_moved');
    await client.query(
      `UPDATE offer_accesses SET state = 'asked', note = $4, asked_at = $5, asked_by = $6
       WHERE desk_id = $1 AND offer_id = $2 AND partner_id = $3`,
      [deskId, of.offerId, of.partnerId, of.note, new Date(nowMs), of.userId],
    );
  });
}

export async function acceptTerms(
  pool: Pool,
  deskId: string,
  of: Pair & { userId: string; terms: string },
  nowMs: number,
): Promise<void> {
  await inEventTransaction(pool, async (client) => {
    await lock(client, deskId, of);
    await client.query(
      `UPDATE offer_accesses SET terms = $4, terms_accepted_at = $5, terms_accepted_by = $6
       WHERE desk_id = $1 AND offer_id = $2 AND partner_id = $3 AND terms <> $4`,
      [deskId, of.offerId, of.partnerId, of.terms, new Date(nowMs), of.userId],
    );
  });
}

/** Of a partner, by offer. */
export async function accessesByOffer(
  pool: Pool,
  deskId: string,
  partnerId: string,
): Promise<ReadonlyMap<string, StoredAccess>> {
  const { rows } = await pool.query<{
    offer_id: string;
    state: AccessState | null;
    reason: string;
    terms: string;
    terms_accepted_at: Date | null;
  }>(
    `SELECT offer_id, state, reason, terms, terms_accepted_at FROM offer_accesses WHERE desk_id = $1 AND partner_id = $2`,
    [deskId, partnerId],
  );
  return new Map(
    rows.map((r) => [
      r.offer_id,
      { state: r.state ?? 'none', reason: r.reason, terms: r.terms, termsAcceptedAt: r.terms_accepted_at },
    ]),
  );
}
