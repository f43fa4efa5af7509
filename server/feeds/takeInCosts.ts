/**
 * Takes the rows of a fetched run of costs in: the day's cost entries, which replace those of the run before as one. They are
 * written beside them first, some at a time; killed half way, the next one begins anew.
 */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import { costOf, FeedProblem } from '@tracheon/core/feeds';
import { dayStart } from '@tracheon/core/time';
import { noteChange, sourceTerms, writeEntries, type SourceTerms } from '../costs/costStore.ts';
import { inEventTransaction, type Reads } from '../db/pools.ts';
import type { FeedRow, FeedRunRow } from './feedStore.ts';
import { nextRows, type RowName } from './runRows.ts';

interface Standing {
  id: string;
  asOf: Date;
  isFinal: boolean;
}
interface TakesCosts {
  pool: Pool;
  fence: (client: Reads) => Promise<void>;
}

/** Returns how many entries count now that did not before. */
export async function takeInCosts(by: TakesCosts, feed: FeedRow, run: FeedRunRow): Promise<number> {
  const { pool, fence } = by;
  const terms = await sourceTerms(pool, feed.desk_id, feed.source_id!);
  if (terms.currency !== feed.body.currency)
    throw new FeedProblem(
      `The source bills in ${terms.currency}, but this feed is in ${feed.body.currency}.`,
    );
  const source = { ...terms, zone: feed.body.zone || 'UTC' };
  // Of a day that has not begun, as far as the provider's clock says, there is no visit to spread over.
  if (run.as_of.getTime() <= dayStart(run.day, source.zone)) return 0;
  if (!isNewer(run, await standing(pool, run))) return 0;
  const loadId = ulid();
  await inEventTransaction(pool, async (client) => {
    await fence(client);
    await client.query(`DELETE FROM cost_loads WHERE feed_id = $1 AND feed_day = $2 AND state = 'draft'`, [
      feed.id,
      run.day,
    ]);
    await client.query(
      `INSERT INTO cost_loads (id, desk_id, source_id, kind, state, file_name, total, made_by, feed_id, feed_day, feed_as_of, feed_final)
       VALUES ($1, $2, $3, 'feed', 'draft', $4, $5, $6, $7, $8, $9, $10)`,
      [
        loadId,
        feed.desk_id,
        source.id,
        feed.body.name,
        run.rows,
        feed.changed_by,
        feed.id,
        run.day,
        run.as_of,
        run.is_final,
      ],
    );
  });
  const entries = await writeRows(by, feed, run, source, loadId);
  return inEventTransaction(pool, async (client) => {
    await fence(client);
    const before = await standing(client, run, true);
    if (!isNewer(run, before) || (before && (await isSame(client, before.id, loadId)))) {
      if (before && isNewer(run, before)) await takeOver(client, before.id, run);
      await client.query('DELETE FROM cost_loads WHERE id = $1', [loadId]);
      return 0;
    }
    if (before) {
      await client.query(`UPDATE cost_loads SET state = 'undone', undone_at = now() WHERE id = $1`, [
        before.id,
      ]);
      await noteChange(client, feed.desk_id, before.id);
    }
    await client.query(`UPDATE cost_loads SET state = 'done' WHERE id = $1`, [loadId]);
    await noteChange(client, feed.desk_id, loadId);
    return entries;
  });
}

/** Finals never give way to estimates; else the later set counts. */
const isNewer = ({ is_final: isFinal, as_of: asOf }: FeedRunRow, before: Standing | null): boolean =>
  before === null || (isFinal === before.isFinal ? asOf > before.asOf : isFinal);

async function standing(client: Reads, run: FeedRunRow, locks = false): Promise<Standing | null> {
  const { rows } = await client.query<Standing>(
    `SELECT id, feed_as_of AS "asOf", feed_final AS "isFinal" FROM cost_loads
     WHERE feed_id = $1 AND feed_day = $2 AND state = 'done' ${locks ? 'FOR UPDATE' : ''}`,
    [run.feed_id, run.day],
  );
  return rows[0] ?? null;
}

/** The later of two rows of one scope counts. Entries of an open day end where the provider's knowledge does. */
async function writeRows(
  { pool, fence }: TakesCosts,
  feed: FeedRow,
  run: FeedRunRow,
  source: SourceTerms,
  loadId: string,
): Promise<number> {
  let written = 0;
  for (let after: RowName | null = null; ;) {
    const rows = await nextRows(pool, run.id, after);
    if (rows.length === 0) return written;
    after = rows.at(-1)!;
    const entries = rows
      .map((r) => costOf({ ...r, currency: '' }))
      .filter((e) => e.amount > 0n)
      .map((e) => ({ ...e, accountId: feed.body.accountId, from: run.day, to: run.day }));
    await inEventTransaction(pool, async (client) => {
      await fence(client);
      await writeEntries(client, feed.desk_id, loadId, source, entries, run.as_of.getTime());
    });
    written += entries.length;
  }
}

const SAID = `SELECT campaign_id, account_id, subs, from_at, to_at, is_credit, amount_micros, currency, fee_percent FROM cost_entries`;
async function isSame(client: Reads, before: string, now: string): Promise<boolean> {
  const { rows } = await client.query<{ same: boolean }>(
    `SELECT NOT EXISTS ((${SAID} WHERE load_id = $1 EXCEPT ALL ${SAID} WHERE load_id = $2)
       UNION ALL (${SAID} WHERE load_id = $2 EXCEPT ALL ${SAID} WHERE load_id = $1)) AS same`,
    [before, now],
  );
  return rows[0]!.same;
}

/** The same once more, but later or for good. */
const takeOver = (client: Reads, id: string, run: FeedRunRow): Promise<unknown> =>
  client.query('UPDATE cost_loads SET feed_as_of = $2, feed_final = $3 WHERE id = $1', [
    id,
    run.as_of,
    run.is_final,
  ]);

/** Replaced entries are kept until the index has surely seen that they no longer count. */
export const dropReplacedCosts = (pool: Pool, nowMs: number): Promise<unknown> =>
  pool.query(
    `DELETE FROM cost_loads WHERE kind = 'feed' AND state = 'undone' AND undone_by = '' AND undone_at < $1`,
    [new Date(nowMs - 2 * 86_400_000)],
  );
