/** Postbacks out that were given up: sent again with an address built anew, or set aside with a reason. */
import type { Pool } from 'pg';
import { notDone, type ManyAnswer } from '@tracheon/core/contract';

/** The address as the source wants it today; null when it wants none. */
export type BuildAgain = (
  deskId: string,
  of: { conversionId: string; status: string },
) => Promise<string | null>;

interface Row {
  id: string;
  conversionId: string;
  status: string;
  isOvertaken: boolean;
}

export async function retryGivenUp(
  pool: Pool,
  build: BuildAgain,
  deskId: string,
  ids: readonly string[],
): Promise<ManyAnswer> {
  const { rows } = await pool.query<Row>(
    `SELECT o.id, o.conversion_id AS "conversionId", o.status, EXISTS (SELECT 1 FROM outbox l WHERE l.desk_id = o.desk_id
       AND l.conversion_id = o.conversion_id AND l.seq > o.seq AND l.state = 'delivered') AS "isOvertaken"
     FROM outbox o WHERE o.desk_id = $1 AND o.id = ANY ($2) AND o.state IN ('gave_up', 'set_aside')`,
    [deskId, ids],
  );
  const answer: ManyAnswer = { changed: 0, unchanged: notDone(ids, rows, NOT_GIVEN_UP) };
  for (const row of rows) {
    // The source would read an older status as the newer one.
    const url = row.isOvertaken ? null : await build(deskId, row);
    if (url === null) {
      answer.unchanged.push({ id: row.id, why: row.isOvertaken ? OVERTAKEN : NOT_WANTED });
      continue;
    }
    const done = await pool.query(
      `UPDATE outbox SET url = $3, state = 'waiting', next_try_at = now(), trying_since = now(), set_aside_reason = ''
       WHERE desk_id = $1 AND id = $2 AND state IN ('gave_up', 'set_aside')`,
      [deskId, row.id, url],
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
  return { changed: rows.length, unchanged: notDone(ids, rows, NOT_GIVEN_UP) };
}

const NOT_GIVEN_UP = 'Tracheon has not given up on this postback.';
const OVERTAKEN = 'A later status of this conversion was delivered already.';
const NOT_WANTED = 'The source no longer wants a postback for this conversion.';
