/** The rows of a run, some at a time, in the order of their keys; found by an index, however many there are. */
import type { FeedEntry } from '@tracheon/core/feeds';
import type { Reads } from '../db/pools.ts';

export const ROWS_AT_ONCE = 500;
export type RowName = Pick<FeedEntry, 'key' | 'eventTypeId'>;

/** `after`: the last one of the rows before; null: from the first. The later of two rows of one key counts. */
export async function nextRows(client: Reads, runId: string, after: RowName | null): Promise<FeedEntry[]> {
  const { rows } = await client.query<{
    key: string;
    event_type_id: string;
    amount_micros: string;
    currency: string;
  }>(
    `SELECT DISTINCT ON (event_type_id, key) key, event_type_id, amount_micros, currency FROM feed_rows
     WHERE run_id = $1 ${after ? 'AND (event_type_id, key) > ($2, $3)' : ''} ORDER BY event_type_id, key, n DESC LIMIT ${ROWS_AT_ONCE}`,
    after ? [runId, after.eventTypeId, after.key] : [runId],
  );
  return rows.map((r) => ({
    key: r.key,
    eventTypeId: r.event_type_id,
    amount: BigInt(r.amount_micros),
    currency: r.currency,
  }));
}
