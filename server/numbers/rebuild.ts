/** The index built from nothing: everything that PostgreSQL and sealed days have, up to the transactions that were over when it began. */
import { renameSync, rmSync } from 'node:fs';
import type { Pool } from 'pg';
import type { CostWatch } from './costWatch.ts';
import { conversionPage, copyVisitPage, databaseName, newSubNames, replayedTo, stepPage } from './facts.ts';
import { namesOf } from './feed.ts';
import { addConversions, addSteps } from './indexRows.ts';
import { inTransaction } from './indexTransaction.ts';
import { INDEX_VERSION, IndexFile } from './indexFile.ts';
import { loadVisits } from './loadVisits.ts';
import type { Sealing } from './sealing.ts';

const AT_ONCE = 20_000;
/** Fewer than a row group of DuckDB has (122 880): larger transactions write groups of their own, and the index is twice as large. */
const VISITS_AT_ONCE = 100_000;

export interface Progress {
  visits: number;
  /** As PostgreSQL guesses it. */
  ofAbout: number;
}

/** Writes a second file, which takes the place of the first once it is whole. Throws what `signal` was aborted with. */
export async function rebuild(
  pool: Pool,
  path: string,
  { costs, sealing }: { costs: CostWatch; sealing: Sealing },
  onProgress: (now: Progress) => void,
  signal: AbortSignal,
): Promise<void> {
  const part = `${path}.new`;
  removeIndex(part);
  removePages(part);
  const index = await IndexFile.open(part);
  try {
    await fill(pool, index, part, onProgress, signal);
    await sealing.takeIn(index, costs);
    await costs.settleAll(index, signal);
    await index.feeding.run('CHECKPOINT');
  } finally {
    index.close();
    removePages(part);
  }
  removeIndex(path);
  renameSync(part, path);
}

/** With what it wrote ahead, and had no time to put into it. */
export function removeIndex(path: string): void {
  for (const file of [path, `${path}.wal`]) rmSync(file, { force: true });
}

/** Files that a page of visits is in on its way; one is read while the other is written. */
const pagesOf = (part: string): [string, string] => [`${part}.0.csv`, `${part}.1.csv`];
function removePages(part: string): void {
  for (const file of pagesOf(part)) rmSync(file, { force: true });
}

async function fill(
  pool: Pool,
  index: IndexFile,
  part: string,
  onProgress: (now: Progress) => void,
  signal: AbortSignal,
): Promise<void> {
  const began = await beginning(pool);
  let visits = 0;
  for (const { desk_id: deskId, days } of began.desks) {
    await fillVisits(pool, index, pagesOf(part), { deskId, days, upTo: began.upTo }, (loaded) => {
      visits += loaded;
      onProgress({ visits, ofAbout: began.ofAbout });
      signal.throwIfAborted();
    });
    for (let after = ''; ;) {
      const page = await conversionPage(pool, deskId, after, AT_ONCE);
      if (page.length === 0) break;
      const tables = await index.makeRoom(deskId, namesOf(page));
      await inTransaction(index.feeding, () => addConversions(index.feeding, tables, page));
      after = page.at(-1)!.id;
      signal.throwIfAborted();
    }
    await fillSteps(pool, index, deskId, began.upTo);
  }
  await index.setMeta({
    version: INDEX_VERSION,
    database: began.database,
    cursor: String(began.upTo),
    fedAt: new Date(began.knownMs).toISOString(),
  });
}

/** PostgreSQL writes a page while the one before it is taken in: neither waits for the other, and no visit becomes an object. */
async function fillVisits(
  pool: Pool,
  index: IndexFile,
  files: readonly [string, string],
  { deskId, days, upTo }: { deskId: string; days: readonly string[]; upTo: bigint },
  onLoaded: (visits: number) => void,
): Promise<void> {
  const take = async (subs: readonly string[], file: string, rows: number): Promise<number> => {
    const tables = await index.makeRoom(deskId, { subs: new Set(subs), extras: new Set() });
    await inTransaction(index.feeding, () => loadVisits(index.feeding, tables, subs, file));
    return rows;
  };
  const names: string[] = [];
  let [loading, n] = [Promise.resolve(0), 0];
  try {
    for (const day of days) {
      const of = { deskId, day, upTo };
      names.push(...(await newSubNames(pool, of, names)));
      for (let [after, isLast] = ['', false]; !isLast; n = 1 - n) {
        const subs = [...names];
        const page = await copyVisitPage(pool, { ...of, after, most: VISITS_AT_ONCE, subs }, files[n]!);
        onLoaded(await loading);
        loading = take(subs, files[n]!, page.rows);
        // Awaited after the next page; until then nobody else hears of it.
        loading.catch(() => undefined);
        [after, isLast] = [page.last, page.rows < VISITS_AT_ONCE];
      }
    }
  } finally {
    onLoaded(await loading);
  }
}

/** A conversion that is there has columns; a step of one that is not needs none. */
async function fillSteps(pool: Pool, index: IndexFile, deskId: string, upTo: bigint): Promise<void> {
  for (let after = '0'; ;) {
    const page = await stepPage(pool, deskId, upTo, after, AT_ONCE);
    if (page.length === 0) return;
    const tables = await index.makeRoom(deskId, { subs: new Set(), extras: new Set() });
    await inTransaction(index.feeding, () => addSteps(index.feeding, tables, page));
    after = page.at(-1)!.n;
  }
}

interface Beginning {
  upTo: bigint;
  /** Up to when there is everything. */
  knownMs: number;
  database: string;
  ofAbout: number;
  desks: { desk_id: string; days: string[] }[];
}
async function beginning(pool: Pool): Promise<Beginning> {
  const knownMs = (await replayedTo(pool)) ?? Date.now();
  const xmin = await pool.query<{ xmin: string }>(
    'SELECT pg_snapshot_xmin(pg_current_snapshot())::text AS xmin',
  );
  const desks = await pool.query<{ desk_id: string }>('SELECT id AS desk_id FROM desks ORDER BY id');
  // Days that have rows, each found by the first row after the one before: a partition without any is not walked.
  const days = await pool.query<{ desk_id: string; days: string[] }>(
    `SELECT d.id AS desk_id, array(
       WITH RECURSIVE one AS (
         (SELECT day FROM visits WHERE desk_id = d.id ORDER BY day LIMIT 1)
         UNION ALL
         SELECT (SELECT v.day FROM visits v WHERE v.desk_id = d.id AND v.day > one.day ORDER BY v.day LIMIT 1) FROM one WHERE one.day IS NOT NULL)
       SELECT day::text FROM one WHERE day IS NOT NULL) AS days FROM desks d`,
  );
  const about = await pool.query<{ n: number }>(
    `SELECT coalesce(sum(greatest(c.reltuples, 0)), 0)::float8 AS n FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid
     WHERE i.inhparent = 'visits'::regclass`,
  );
  const daysOf = new Map(days.rows.map((r) => [r.desk_id, r.days]));
  return {
    upTo: BigInt(xmin.rows[0]!.xmin),
    knownMs,
    database: await databaseName(pool),
    ofAbout: about.rows[0]!.n,
    desks: desks.rows.map(({ desk_id }) => ({ desk_id, days: daysOf.get(desk_id) ?? [] })),
  };
}
