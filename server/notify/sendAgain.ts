/** Postbacks out sent again, each built anew: those that were given up, and those that were delivered; or set aside with a reason. */
import type { Pool } from 'pg';
import {
  notDone,
  type ConversionStatus,
  type ManyAnswer,
  type PostbackMethod,
} from '@tracheon/core/contract';

/** The request as its source or partner wants it today; null when that wants none. */
export type BuildAgain = (
  deskId: string,
  of: { conversionId: string; destinationId: string; status: ConversionStatus; nth: number },
) => Promise<{ method: PostbackMethod; url: string; body: string } | null>;

interface Row {
  id: string;
  conversionId: string;
  destinationId: string;
  status: ConversionStatus;
  nth: number;
  isOvertaken: boolean;
}

const states = {
  /** Those that the source never took. */
  given_up: { sql: `('gave_up', 'set_aside')`, not: 'Tracheon has not given up on this postback.' },
  /** Those that it took already: it gets them once more. */
  delivered: { sql: `('delivered')`, not: 'This postback was not delivered.' },
} as const;

export async function sendAgain(
  pool: Pool,
  build: BuildAgain,
  deskId: string,
  ids: readonly string[],
  which: keyof typeof states,
): Promise<ManyAnswer> {
  const { sql, not } = states[which];
  const { rows } = await pool.query<Row>(
    `SELECT o.id, o.conversion_id AS "conversionId", o.destination_id AS "destinationId", o.status, o.nth, EXISTS (SELECT 1 FROM outbox l WHERE l.desk_id = o.desk_id
       AND l.conversion_id = o.conversion_id AND l.destination_id = o.destination_id AND l.seq > o.seq AND l.state = 'delivered') AS "isOvertaken"
     FROM outbox o WHERE o.desk_id = $1 AND o.id = ANY ($2) AND o.state IN ${sql} ORDER BY o.id`,
    [deskId, ids],
  );
  const answer: ManyAnswer = { changed: 0, unchanged: notDone(ids, rows, not) };
  for (const row of rows) {
    // The source would read an older status as the newer one.
    const request = row.isOvertaken ? null : await build(deskId, row);
    if (request === null) {
      answer.unchanged.push({ id: row.id, why: row.isOvertaken ? OVERTAKEN : NOT_WANTED });
      continue;
    }
    const done = await pool.query(
      `UPDATE outbox SET method = $3, url = $4, body = $5, state = CASE WHEN $3 = 'pixel' THEN 'on_page' ELSE 'waiting' END, next_try_at = now(), trying_since = now(),
         set_aside_reason = '' WHERE desk_id = $1 AND id = $2 AND state IN ${sql}`,
      [deskId, row.id, request.method, request.url, request.body],
    );
    answer.changed += done.rowCount ?? 0;
  }
  return answer;
}

export async function setAsideGivenUp(
  pool: Pool,
  deskId: string,
  ids: readonly string[],
  reason: string,
): Promise<ManyAnswer> {
  const { rows } = await pool.query<{ id: string }>(
    `UPDATE outbox SET state = 'set_aside', set_aside_reason = $3
     WHERE desk_id = $1 AND id = ANY ($2) AND state = 'gave_up' RETURNING id`,
    [deskId, ids, reason],
  );
  return { changed: rows.length, unchanged: notDone(ids, rows, states.given_up.not) };
}

const OVERTAKEN = 'A later status of this conversion was delivered already.';
const NOT_WANTED = 'Nobody wants this postback any more.';
