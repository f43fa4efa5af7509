/**
 * A repair takes the receipts of its group, some at a time, so that no write is long enough to keep visitors waiting. The
 * batch is a draft until it has them all; one whose process died in between goes on with those that it has.
 */
import { setTimeout as pause } from 'node:timers/promises';
import type { Pool } from 'pg';
import { inEventTransaction, type Reads } from '../db/pools.ts';
import type { RepeatedJob } from '../jobs/job.ts';
import type { Editor } from '../parts/partRecords.ts';
import { Problem } from '../problems/problem.ts';
import { makeBatch, type RepairSettings } from './batches.ts';
import { groupValues, ofGroup, type GroupName } from './repairGroups.ts';

const AT_ONCE = 1000;
const REST_MS = 15;
/** A draft that has not grown for so long has lost its process. */
const LOST_AFTER_SECONDS = 60;
const LOOK_EVERY_MS = 10_000;

export interface Claimed {
  id: string;
  words: string;
  settings: RepairSettings;
}

/** What comes from now on is read by the changed network anyway. Throws `nothing_to_repair` when the group is empty. */
export async function claim(
  pool: Pool,
  by: Editor,
  group: GroupName,
  { id, words, settings }: Claimed,
): Promise<void> {
  await makeBatch(pool, {
    id,
    desk_id: by.deskId,
    kind: 'repair',
    network_id: group.networkId,
    words,
    settings,
    state: 'draft',
    total: 0,
    made_by: by.memberId,
  });
  let [total, last] = [0, ''];
  for (;;) {
    const taken = await inEventTransaction(pool, (client) => takeSome(client, by.deskId, group, id, last));
    total += taken.length;
    if (taken.length < AT_ONCE) break;
    last = taken.at(-1)!;
    await pause(REST_MS);
  }
  if (total === 0) {
    await pool.query('DELETE FROM receipt_batches WHERE id = $1', [id]);
    throw new Problem('nothing_to_repair');
  }
  await pool.query(
    `UPDATE receipt_batches SET state = 'running', changed_at = now() WHERE id = $1 AND state = 'draft'`,
    [id],
  );
}

/** In the order of their IDs. */
async function takeSome(
  client: Reads,
  deskId: string,
  group: GroupName,
  id: string,
  after: string,
): Promise<string[]> {
  const { rows } = await client.query<{ id: string }>(
    `UPDATE outcomes u SET repaired_by = $6 FROM (
       SELECT o.desk_id, o.receipt_id FROM outcomes o WHERE ${ofGroup(2)} AND o.receipt_id > $7
       ORDER BY o.receipt_id LIMIT ${AT_ONCE} FOR UPDATE) s
     WHERE u.desk_id = s.desk_id AND u.receipt_id = s.receipt_id RETURNING u.receipt_id AS id`,
    [deskId, ...groupValues(group), id, after],
  );
  await client.query('UPDATE receipt_batches SET total = total + $2, changed_at = now() WHERE id = $1', [
    id,
    rows.length,
  ]);
  return rows.map((r) => r.id).sort();
}

/** When a process dies while a repair takes its receipts, the repair goes on with those that it has. */
export const lostClaimsJob = (pool: Pool): RepeatedJob => ({
  everyMs: LOOK_EVERY_MS,
  trouble: 'repairs whose process died wait',
  run: () =>
    pool.query(
      `UPDATE receipt_batches SET state = 'running', changed_at = now() WHERE kind = 'repair' AND state = 'draft'
         AND changed_at < now() - make_interval(secs => ${LOST_AFTER_SECONDS})`,
    ),
});
