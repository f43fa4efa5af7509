/** The event writers, each with its spool in the data folder, and the loader of the spools. */
import { join } from 'node:path';
import type { Pool } from 'pg';
import type { Logger } from 'pino';
import {
  commitClicks,
  commitReceipts,
  commitVisits,
  insertClickRows,
  insertReceiptRows,
  insertVisitRows,
  quarantineRow,
} from './commitRows.ts';
import { DurableWriter } from './durableWriter.ts';
import { EventWriter, WriterUnavailable, type CommitBatch } from './eventWriter.ts';
import { clickIdTime } from '@tracheon/core/identity';
import {
  decodeClick,
  decodeReceipt,
  decodeVisit,
  encodeClick,
  encodeReceipt,
  encodeVisit,
  type ClickRecord,
  type ReceiptRecord,
  type VisitRecord,
} from './rows.ts';
import { Spool } from './spool.ts';
import { realDisk } from './spoolDisk.ts';
import { loadSpool, type LoadReport, type SpoolSource } from './spoolLoader.ts';
import { isInstanceAlive, thisInstance } from './instance.ts';

export interface EventWriters {
  visits: DurableWriter<VisitRecord>;
  clicks: DurableWriter<ClickRecord>;
  receipts: DurableWriter<ReceiptRecord>;
  /** Brings what lies in the spool into the database. */
  loadSpools: () => Promise<LoadReport>;
  /** Spool files that lie in the folder, torn ones included. */
  spoolFiles: () => Promise<number>;
}

/** What differs between the kinds of rows that are written in groups and spooled. */
interface Kind<T> {
  name: 'visit' | 'click' | 'receipt';
  pool: Pool;
  commit: (pool: Pool) => CommitBatch<T>;
  encode: (row: T) => string;
  decode: (json: string) => T;
  insert: SpoolSource<T>['insert'];
  /** Time whose day's partition must exist. */
  timeOf: (row: T) => number;
}

export function openEventWriters(
  pools: { capture: Pool; intake: Pool; desk: Pool },
  dataFolder: string,
  /** False until the database has been migrated: nothing is written to a schema that may be an older one. */
  isReady: () => boolean,
  patienceMs: number,
  log: Logger,
): EventWriters {
  const disk = realDisk(join(dataFolder, 'spool'));
  const open = <T extends { deskId: string; id: string }>(kind: Kind<T>) => {
    const spool = new Spool<T>(disk, `${kind.name}s`, thisInstance(), kind.encode, isInstanceAlive);
    const commit = kind.commit(kind.pool);
    const onceReady: CommitBatch<T> = (rows) =>
      isReady() ? commit(rows) : Promise.reject(new WriterUnavailable('the database is not ready yet'));
    const writer = new DurableWriter(
      new EventWriter(onceReady),
      spool,
      (row, why) => quarantineRow(pools.desk, kind.name, row, why),
      patienceMs,
    );
    const load = (): Promise<LoadReport> =>
      loadSpool(pools.desk, {
        spool,
        disk,
        decode: kind.decode,
        insert: kind.insert,
        quarantine: (client, row, why) => quarantineRow(client, kind.name, row, why),
        timeOf: kind.timeOf,
        onFile: (what, file, rows) => log.info({ file, rows }, `a spool file ${what}`),
      });
    return { writer, load };
  };
  const visits = open<VisitRecord>({
    name: 'visit',
    pool: pools.capture,
    commit: commitVisits,
    encode: encodeVisit,
    decode: decodeVisit,
    insert: insertVisitRows,
    timeOf: (row) => clickIdTime(row.id),
  });
  const clicks = open<ClickRecord>({
    name: 'click',
    pool: pools.capture,
    commit: commitClicks,
    encode: encodeClick,
    decode: decodeClick,
    insert: insertClickRows,
    timeOf: (row) => clickIdTime(row.visitId),
  });
  const receipts = open<ReceiptRecord>({
    name: 'receipt',
    pool: pools.intake,
    commit: commitReceipts,
    encode: encodeReceipt,
    decode: decodeReceipt,
    insert: insertReceiptRows,
    timeOf: (row) => clickIdTime(row.id),
  });
  return {
    visits: visits.writer,
    clicks: clicks.writer,
    receipts: receipts.writer,
    loadSpools: async () => {
      const reports = [await visits.load(), await clicks.load(), await receipts.load()];
      const sum = (key: 'files' | 'rows' | 'tornBytes'): number => reports.reduce((n, r) => n + r[key], 0);
      return {
        files: sum('files'),
        rows: sum('rows'),
        tornBytes: sum('tornBytes'),
        deskIds: new Set(reports.flatMap((r) => [...r.deskIds])),
      };
    },
    spoolFiles: async () => (await disk.list().catch(() => [])).length,
  };
}
