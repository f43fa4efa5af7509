/** The two event writers, each with its spool in the data folder, and the loader of both spools. */
import { join } from 'node:path';
import type { Pool } from 'pg';
import type { Logger } from 'pino';
import {
  commitReceipts,
  commitVisits,
  insertReceiptRows,
  insertVisitRows,
  quarantineRow,
} from '../events/commitRows.ts';
import { DurableWriter } from '../events/durableWriter.ts';
import { EventWriter, WriterUnavailable, type CommitBatch } from '../events/eventWriter.ts';
import {
  decodeReceipt,
  decodeVisit,
  encodeReceipt,
  encodeVisit,
  type ReceiptRecord,
  type VisitRecord,
} from '../events/rows.ts';
import { Spool } from '../events/spool.ts';
import { realDisk, type SpoolDisk } from '../events/spoolDisk.ts';
import { loadSpool, type LoadReport } from '../events/spoolLoader.ts';
import { isInstanceAlive, thisInstance } from './instance.ts';

export interface EventWriters {
  visits: DurableWriter<VisitRecord>;
  receipts: DurableWriter<ReceiptRecord>;
  /** Brings what lies in the spool into the database. */
  loadSpools: () => Promise<LoadReport>;
  /** Spool files that lie in the folder, torn ones included. */
  spoolFiles: () => Promise<number>;
}

export function openEventWriters(
  pools: { capture: Pool; intake: Pool; desk: Pool },
  dataFolder: string,
  /** False until the database has been migrated: nothing is written to a schema that may be an older one. */
  isReady: () => boolean,
  log: Logger,
): EventWriters {
  const disk = realDisk(join(dataFolder, 'spool'));
  const instance = thisInstance();
  const visitSpool = new Spool<VisitRecord>(disk, 'visits', instance, encodeVisit, isInstanceAlive);
  const receiptSpool = new Spool<ReceiptRecord>(disk, 'receipts', instance, encodeReceipt, isInstanceAlive);
  const onceReady =
    <T>(commit: CommitBatch<T>): CommitBatch<T> =>
    (rows) =>
      isReady() ? commit(rows) : Promise.reject(new WriterUnavailable('the database is not ready yet'));
  const visits = new DurableWriter(
    new EventWriter(onceReady(commitVisits(pools.capture))),
    visitSpool,
    (row, why) => quarantineRow(pools.desk, 'visit', row, why),
  );
  const receipts = new DurableWriter(
    new EventWriter(onceReady(commitReceipts(pools.intake))),
    receiptSpool,
    (row, why) => quarantineRow(pools.desk, 'receipt', row, why),
  );
  return {
    visits,
    receipts,
    loadSpools: () => loadBoth(pools.desk, disk, visitSpool, receiptSpool, log),
    spoolFiles: async () => (await disk.list().catch(() => [])).length,
  };
}

async function loadBoth(
  pool: Pool,
  disk: SpoolDisk,
  visitSpool: Spool<VisitRecord>,
  receiptSpool: Spool<ReceiptRecord>,
  log: Logger,
): Promise<LoadReport> {
  const onFile = (what: string, file: string, rows: number): void =>
    log.info({ file, rows }, `a spool file ${what}`);
  const visited = await loadSpool(pool, {
    spool: visitSpool,
    disk,
    decode: decodeVisit,
    insert: insertVisitRows,
    quarantine: (client, row, why) => quarantineRow(client, 'visit', row, why),
    timeOf: (row) => row.atMs,
    onFile,
  });
  const received = await loadSpool(pool, {
    spool: receiptSpool,
    disk,
    decode: decodeReceipt,
    insert: insertReceiptRows,
    quarantine: (client, row, why) => quarantineRow(client, 'receipt', row, why),
    timeOf: (row) => row.receivedMs,
    onFile,
  });
  return {
    files: visited.files + received.files,
    rows: visited.rows + received.rows,
    tornBytes: visited.tornBytes + received.tornBytes,
    oldestMs: Math.min(visited.oldestMs, received.oldestMs),
  };
}
