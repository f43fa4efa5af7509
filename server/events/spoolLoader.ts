/**
 * Loads ended spool files into the database, each in one transaction under a lock of its name, so that two processes
 * never load the same file at once; then removes it. Rows that are there already are left alone by the conflict rule;
 * a row that the database refuses goes to the quarantine and does not keep its neighbours waiting.
 */
import type { Pool, PoolClient } from 'pg';
import { ensureDays, isoDay } from '../db/partitions.ts';
import { inEventTransaction } from '../db/pools.ts';
import { isRefusal } from './eventWriter.ts';
import type { Spool } from './spool.ts';
import type { SpoolDisk } from './spoolDisk.ts';
import { decodeRecords } from './spoolFormat.ts';

const BATCH = 500;

export interface SpoolSource<T> {
  spool: Pick<Spool<T>, 'rotate'>;
  disk: SpoolDisk;
  decode: (json: string) => T;
  /** Inserts on the transaction's own connection, rows that are there are skipped. */
  insert: (client: PoolClient, rows: readonly T[]) => Promise<void>;
  quarantine: (client: PoolClient, row: T, why: string) => Promise<void>;
  /** Time of the row, in ms since 1970: its day's partition must exist. */
  timeOf: (row: T) => number;
  /** Called before and after each file. */
  onFile?: (what: 'begins' | 'is loaded', name: string, rows: number) => void;
}
export interface LoadReport {
  files: number;
  rows: number;
  tornBytes: number;
  /** Desks whose rows they are. */
  deskIds: ReadonlySet<string>;
}

export async function loadSpool<T extends { deskId: string }>(
  pool: Pool,
  source: SpoolSource<T>,
): Promise<LoadReport> {
  const deskIds = new Set<string>();
  const report: LoadReport = { files: 0, rows: 0, tornBytes: 0, deskIds };
  for (const name of await source.spool.rotate()) {
    const { payloads, tornBytes } = decodeRecords(await source.disk.read(name));
    const rows = payloads.map(source.decode);
    source.onFile?.('begins', name, rows.length);
    if (rows.length > 0) {
      const times = rows.map(source.timeOf);
      await ensureDays(pool, new Set(times.map((ms) => Date.parse(isoDay(ms)))));
      await inEventTransaction(pool, async (client) => {
        await client.query('SELECT pg_advisory_xact_lock(hashtextextended($1, 1))', [name]);
        for (let i = 0; i < rows.length; i += BATCH)
          await insertAll(client, source, rows.slice(i, i + BATCH));
      });
    }
    // Only now, when all of it is committed. Another process may have been faster.
    // A file with an unreadable end is kept aside: most likely the end was never acknowledged, but nobody knows.
    await (tornBytes === 0 ? source.disk.remove(name) : source.disk.setAside(name)).catch(() => undefined);
    source.onFile?.('is loaded', name, rows.length);
    report.files += 1;
    report.rows += rows.length;
    for (const row of rows) deskIds.add(row.deskId);
    report.tornBytes += tornBytes;
  }
  return report;
}

/** Halves a refused batch until the bad row stands alone; a savepoint keeps the transaction usable. */
async function insertAll<T>(client: PoolClient, source: SpoolSource<T>, rows: readonly T[]): Promise<void> {
  await client.query('SAVEPOINT batch');
  try {
    await source.insert(client, rows);
    await client.query('RELEASE SAVEPOINT batch');
  } catch (error) {
    await client.query('ROLLBACK TO SAVEPOINT batch');
    if (!isRefusal(error)) throw error;
    if (rows.length === 1) return source.quarantine(client, rows[0]!, String(error));
    const half = rows.length >> 1;
    await insertAll(client, source, rows.slice(0, half));
    await insertAll(client, source, rows.slice(half));
  }
}
