/**
 * Runs of batches, beside everything else and in small steps: each step takes the next receipts of a batch and processes
 * them, or takes them back. One process works on a batch at a time; one that dies leaves it to the next, which goes on
 * where the last finished step ended. Doing a step again changes nothing.
 */
import type { Pool } from 'pg';
import { clickIdDay } from '@tracheon/core/identity';
import { inPipeline, isAway } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import type { RepeatedJob } from '../jobs/job.ts';
import type { GiveWay } from './giveWay.ts';
import { OF_BATCH, type BatchRow, type RepairSettings } from './batches.ts';
import { judgeTogether } from '../intake/judge.ts';
import { judgeWithin, unread } from '../intake/judgeWithin.ts';
import { distinct } from '../intake/outcomes.ts';
import { loadReceipts } from '../intake/sweeper.ts';

const LOOK_EVERY_MS = 300;
/** Runs that are worked on at a time in one process; each in turns of TURN_MS, so that a short one waits for no long one. */
const RUNS = 2;
const TURN_MS = 3000;

/** How far a step came. */
export interface StepDone {
  /** Where the next step begins. */
  cursor: string;
  handled: number;
  isOver: boolean;
}
/** What one step works on. */
export interface NextReceipts extends StepDone {
  receipts: ReceiptRecord[];
}

export interface BatchDeps {
  pool: Pool;
  /** Opened with `pipeline`. */
  judging: Pool;
  /** Makes receipts of the next rows of a file, at most so many. */
  nextFileRows: (batch: BatchRow, most: number) => Promise<NextReceipts>;
  /** Compares the next rows of a statement with what is booked. */
  compareRows: (batch: BatchRow) => Promise<StepDone>;
  /** Carries over the next click IDs of a file, or takes them back. */
  carryNext: (batch: BatchRow) => Promise<StepDone>;
  tell: (deskId: string) => void;
  onTrouble: (batchId: string, error: unknown) => void;
  isClosing: () => boolean;
  /** To visits. */
  giveWay: GiveWay;
}

export function batchJob(deps: BatchDeps): RepeatedJob {
  return {
    everyMs: LOOK_EVERY_MS,
    trouble: 'repairs and imports wait',
    run: async () => {
      const { rows } = await deps.pool.query<{ id: string }>(
        `SELECT id FROM receipt_batches WHERE state IN ('running', 'undoing') ORDER BY changed_at LIMIT ${RUNS}`,
      );
      await Promise.all(rows.map(({ id }) => work(deps, id)));
    },
  };
}

/** One turn: until it is done, stopped, somebody else's, or the next one's turn. */
async function work(deps: BatchDeps, id: string): Promise<void> {
  const client = await deps.pool.connect();
  const ahead: Ahead = { next: null };
  const until = performance.now() + TURN_MS;
  let broken: Error | undefined;
  try {
    const { rows } = await client.query<{ is: boolean }>(
      'SELECT pg_try_advisory_lock(hashtextextended($1, 1)) AS is',
      [`batch ${id}`],
    );
    if (!rows[0]!.is) return;
    try {
      while (!deps.isClosing() && performance.now() < until && (await step(deps, id, ahead)));
      // What has been prepared is finished, also when the run was stopped meanwhile.
      if (ahead.next) await step(deps, id, ahead, true);
    } finally {
      await ahead.next?.catch(() => undefined);
      await client.query('SELECT pg_advisory_unlock(hashtextextended($1, 1))', [`batch ${id}`]);
    }
  } catch (error) {
    // A connection that is kept would keep the lock with it.
    broken = error as Error;
    deps.onTrouble(id, error);
  } finally {
    client.release(broken);
  }
}

/** The next receipts of a file, made while those before them are judged. */
interface Ahead {
  next: Promise<NextReceipts> | null;
}

/** False when there is nothing left to do. `isLast`: only what has been prepared, whatever the state is by now. */
async function step(deps: BatchDeps, id: string, ahead: Ahead, isLast = false): Promise<boolean> {
  const { pool } = deps;
  const { rows } = await pool.query<BatchRow>('SELECT * FROM receipt_batches WHERE id = $1', [id]);
  const batch = rows[0];
  if (!batch || (!isLast && batch.state !== 'running' && batch.state !== 'undoing')) return false;
  const isUndoing = batch.state === 'undoing' && !ahead.next;
  const began = performance.now();
  const { receipts, cursor, handled, isOver } = await (ahead.next ?? nextOf(deps, batch, isUndoing));
  ahead.next = null;
  await deps.giveWay.rest(performance.now() - began);
  if (!isLast && !isOver && !isUndoing && batch.kind === 'file' && deps.giveWay.portion.lanes > 1) {
    ahead.next = nextOf(deps, { ...batch, cursor }, false);
    // It is waited for later; until then nobody hears of its failure.
    ahead.next.catch(() => undefined);
  }
  const problem = await workThrough(deps.giveWay, receipts, (some) =>
    isUndoing ? takeBack(deps, batch, some) : process(deps, batch, some),
  );
  const done = isUndoing ? 'undone' : 'done';
  await pool.query(
    // Where an undoing has begun meanwhile, the cursor is its own.
    `UPDATE receipt_batches SET cursor = CASE WHEN $3 OR state <> 'undoing' THEN $2 ELSE cursor END,
       finished = CASE WHEN $3 THEN greatest(finished - $4, 0) ELSE least(finished + $4, total) END,
       state = CASE WHEN $5 AND state = $6 THEN $7 ELSE state END, problem = CASE WHEN $8 = '' THEN problem ELSE $8 END,
       changed_at = now() WHERE id = $1`,
    [
      id,
      cursor,
      isUndoing,
      handled,
      isOver && (isUndoing || batch.state !== 'undoing'),
      batch.state,
      done,
      problem,
    ],
  );
  if (isOver && isUndoing) await forget(pool, batch);
  deps.tell(batch.desk_id);
  return !isOver;
}

/**
 * One receipt that can't be processed must not keep the others waiting: it is said, and the sweep tries it again. When none of
 * them can, or the database is away, it is the moment that is at fault, and the step is done again.
 */
async function workThrough(
  giveWay: GiveWay,
  receipts: readonly ReceiptRecord[],
  work: (some: readonly ReceiptRecord[]) => Promise<void>,
): Promise<string> {
  let failed = 0;
  let first: unknown;
  let away: unknown;
  const { together, lanes } = giveWay.portion;
  const waiting: (readonly ReceiptRecord[])[] = [];
  for (let at = 0; at < receipts.length; at += together) waiting.unshift(receipts.slice(at, at + together));
  const lane = async (): Promise<void> => {
    for (let some = waiting.pop(); some && !away; some = waiting.pop()) {
      const those = some;
      const began = performance.now();
      await work(those).catch(async () => {
        for (const one of those) {
          if (away) return;
          await work([one]).catch((error: unknown) => {
            failed += 1;
            first ??= error;
            if (isAway(error)) away ??= error;
          });
        }
      });
      await giveWay.rest(performance.now() - began);
    }
  };
  await Promise.all(Array.from({ length: lanes }, lane));
  if (away) throw away;
  if (failed === 0) return '';
  if (failed === receipts.length) throw first;
  return 'Tracheon could not process some of the receipts. Reprocess them under Postbacks in.';
}

/** A statement and a file of click IDs have no receipts of their own: they are worked through while asked for what comes next. */
async function nextOf(deps: BatchDeps, batch: BatchRow, isUndoing: boolean): Promise<NextReceipts> {
  if (batch.kind === 'carried') return { receipts: [], ...(await deps.carryNext(batch)) };
  if (batch.kind === 'statement') return { receipts: [], ...(await deps.compareRows(batch)) };
  const { step } = deps.giveWay.portion;
  return batch.kind === 'file' && !isUndoing
    ? deps.nextFileRows(batch, step)
    : nextReceipts(deps.pool, batch, step);
}

async function nextReceipts(pool: Pool, batch: BatchRow, most: number): Promise<NextReceipts> {
  const { rows } = await pool.query<{ id: string }>(
    `SELECT o.receipt_id AS id FROM outcomes o WHERE o.desk_id = $1 AND ${OF_BATCH[batch.kind]} = $2 AND o.receipt_id > $3
     ORDER BY o.receipt_id LIMIT $4`,
    [batch.desk_id, batch.id, batch.cursor, most],
  );
  const receipts = await loadReceipts(
    pool,
    rows.map(({ id }) => ({ deskId: batch.desk_id, id })),
  );
  return {
    receipts,
    cursor: rows.at(-1)?.id ?? batch.cursor,
    handled: rows.length,
    isOver: rows.length < most,
  };
}

async function process(
  { pool, judging }: BatchDeps,
  batch: BatchRow,
  receipts: readonly ReceiptRecord[],
): Promise<void> {
  if (batch.kind !== 'repair') return void (await judgeTogether(judging, receipts, { commitsLater: true }));
  const { reportSinceMs, wereHeld } = batch.settings as RepairSettings;
  if (wereHeld) await setHeld(pool, receipts, false);
  const reportSince = reportSinceMs === null ? {} : { reportSince: reportSinceMs };
  const accepted = receipts.map((receipt) => ({ ...receipt, held: false }));
  await judgeTogether(judging, accepted, { commitsLater: true, ...reportSince });
}

/** A repaired one is judged again as the network is by now; a row of a file and a change by hand count no longer. */
async function takeBack(
  { pool, judging }: BatchDeps,
  batch: BatchRow,
  receipts: readonly ReceiptRecord[],
): Promise<void> {
  if (batch.kind !== 'repair')
    return void (await inPipeline(judging, (client) => unread(client, receipts, 'withdrawn')));
  const { wereHeld } = batch.settings as RepairSettings;
  if (wereHeld) await setHeld(pool, receipts, true);
  await inPipeline(judging, async (client) => {
    await unread(client, receipts, 'queued');
    await judgeWithin(
      client,
      receipts.map((receipt) => ({ ...receipt, held: wereHeld })),
    );
  });
}

async function setHeld(pool: Pool, receipts: readonly ReceiptRecord[], held: boolean): Promise<void> {
  await pool.query(
    `UPDATE receipts SET held = $4 WHERE desk_id = ANY ($1) AND day = ANY ($2::date[]) AND id = ANY ($3)`,
    [
      distinct(receipts.map((r) => r.deskId)),
      distinct(receipts.map((r) => clickIdDay(r.id))),
      receipts.map((r) => r.id),
      held,
    ],
  );
}

/** They may be repaired by another one from now on. */
async function forget(pool: Pool, { desk_id, id, kind }: BatchRow): Promise<void> {
  if (kind === 'repair')
    await pool.query(
      `UPDATE outcomes SET repaired_by = '' WHERE desk_id = $1 AND repaired_by = $2 AND outcome IN ('repair', 'held')`,
      [desk_id, id],
    );
}
