/**
 * Days that are older than visits are kept are sealed: written as Parquet, compared with PostgreSQL, and only then removed
 * from there. Of a run that is killed, either the day is sealed and its file is on disk, or nothing has happened: the row
 * of `sealed_days` and the removal are one transaction, after the file.
 */
import { readdirSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import type { Pool } from 'pg';
import { DEFAULT_WINDOW_DAYS, wholeBody } from '@tracheon/core/contract';
import { isoDay } from '../db/partitions.ts';
import { inEventTransaction } from '../db/pools.ts';
import type { CostWatch } from './costWatch.ts';
import type { IndexFile } from './indexFile.ts';
import { loadSealed, writeSealed, type SealedDay } from './sealedFiles.ts';
import { differences, visitsInDatabase, visitsInIndex, type SumsByName } from './verify.ts';

const DAY_MS = 86_400_000;
const LOOK_EVERY_MS = 3_600_000;
/** Conversions come for as long as the offer's window, and are judged again for some time. */
export const AFTER_WINDOW_DAYS = 30;
/** Dropping a partition stops all visits while it waits for its turn: rather try again. */
const LOCK_MS = 100;
const MOST_TRIES = 20;
/** A backup that began earlier may still copy a file that has been replaced. */
const KEEP_REPLACED_MS = 2 * DAY_MS;
const TABLES = ['visits', 'button_clicks', 'visit_addresses'] as const;

export interface SealingDeps {
  pool: Pool;
  folder: string;
  /** Days that visits stay in PostgreSQL; 0: for ever. */
  visitDays: number;
  log: { info: (more: object, words: string) => void; error: (more: object, words: string) => void };
  now?: () => number;
}

export class Sealing {
  private lookAt = 0;
  private readonly now: () => number;

  constructor(private readonly deps: SealingDeps) {
    this.now = deps.now ?? Date.now;
  }

  /** One day at a time, so that the feed goes on between two. Returns whether figures have moved. */
  async due(index: IndexFile, costs: CostWatch): Promise<boolean> {
    if (this.now() < this.lookAt) return false;
    this.lookAt = this.now() + LOOK_EVERY_MS;
    const sealed = this.deps.visitDays > 0 && (await this.sealOldest(index, costs));
    if (sealed) this.lookAt = 0;
    else await this.forgetReplaced();
    return (await this.takeIn(index, costs)) || sealed;
  }

  /** Sealed days that the index has not got yet: those of a new index, and of whoever was killed before the end. */
  async takeIn(index: IndexFile, costs: CostWatch): Promise<boolean> {
    const { pool, folder, log } = this.deps;
    const { rows } = await pool.query<SealedDay>(
      `SELECT desk_id AS "deskId", day::text AS day, file, sha256 FROM sealed_days ORDER BY desk_id, day`,
    );
    const there = new Set(
      (
        await index.rows<Pick<SealedDay, 'deskId' | 'file'>>('SELECT desk_id AS "deskId", file FROM sealed')
      ).map((s) => `${s.deskId}/${s.file}`),
    );
    let hasMoved = false;
    for (const one of rows.filter((r) => !there.has(`${r.deskId}/${r.file}`))) {
      const ground = await costs.groundOf(one.deskId);
      const sourceIds = [
        ...new Set([
          ...(ground?.entered.keys() ?? []),
          ...[...(ground?.campaigns.values() ?? [])].flatMap((c) => c.sourceIds),
        ]),
      ];
      if (await loadSealed(index, folder, one, sourceIds)) hasMoved = true;
      else
        log.error(
          { file: join(folder, one.file) },
          'the file of a sealed day is missing or was changed: its visits are not in the numbers. Copy it here from a backup',
        );
    }
    return hasMoved;
  }

  private async sealOldest(index: IndexFile, costs: CostWatch): Promise<boolean> {
    const { pool, visitDays, log } = this.deps;
    const day = await this.oldestDay();
    if (day === null) return false;
    const needed = await neededDays(pool);
    if (visitDays < needed) {
      log.error(
        { visitDays, needed },
        'no day is sealed: visits have to be kept for the longest conversion window of an offer and 30 days more. Raise TRACHEON_VISIT_DAYS',
      );
      return false;
    }
    const { cursor } = await index.meta();
    const different = differences(await visitsInDatabase(pool, cursor!, day), await this.inIndex(index, day));
    if (different.length > 0) {
      log.error(
        { day, differences: different.slice(0, 5) },
        'a day is not sealed: the index differs from it',
      );
      return false;
    }
    const files = await this.write(index, costs, day);
    const done = await this.replace(day, cursor!, files);
    log[done ? 'info' : 'error'](
      { day, desks: files.length },
      done ? 'a day is sealed' : 'a day is not sealed yet: it is in use',
    );
    return done;
  }

  /** That is to be sealed; null: none. */
  private async oldestDay(): Promise<string | null> {
    const { rows } = await this.deps.pool.query<{ name: string }>(
      `SELECT c.relname AS name FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid
       WHERE i.inhparent = 'visits'::regclass AND c.relname ~ '^visits_[0-9]{8}$' ORDER BY 1 LIMIT 1`,
    );
    const [, year, month, date] = /_(\d{4})(\d\d)(\d\d)$/.exec(rows[0]?.name ?? '') ?? [];
    if (year === undefined) return null;
    const day = `${year}-${month}-${date}`;
    return day < isoDay(this.now() - this.deps.visitDays * DAY_MS) ? day : null;
  }

  private async inIndex(index: IndexFile, day: string): Promise<SumsByName> {
    const all: SumsByName = new Map();
    for (const deskId of index.deskIds)
      for (const [what, sum] of await visitsInIndex(index.feeding, index.tablesOf(deskId)!, day))
        all.set(`${deskId}|${what}`, sum);
    return all;
  }

  private async write(index: IndexFile, costs: CostWatch, day: string): Promise<Written[]> {
    const written: Written[] = [];
    for (const deskId of index.deskIds) {
      if ((await visitsInIndex(index.feeding, index.tablesOf(deskId)!, day)).size === 0) continue;
      const file = join(deskId, `${day}.${this.now().toString(36)}.parquet`);
      const ground = await costs.groundOf(deskId);
      const personal = await personalSubs(this.deps.pool, deskId);
      const made = await writeSealed(index, ground, { deskId, day, personal }, join(this.deps.folder, file));
      written.push({ deskId, day, file, ...made });
    }
    return written;
  }

  /** In PostgreSQL. false: something of that day came meanwhile, or other work holds it. */
  private async replace(day: string, cursor: string, files: readonly Written[]): Promise<boolean> {
    for (let tries = 0; tries < MOST_TRIES; tries++)
      try {
        return await inEventTransaction(this.deps.pool, async (client) => {
          await client.query(`SET LOCAL lock_timeout = ${LOCK_MS}`);
          const tables = TABLES.map((table) => `${table}_${day.replaceAll('-', '')}`);
          const there = await client.query<{ name: string }>(
            `SELECT relname AS name FROM pg_class WHERE relname = ANY ($1) ORDER BY 1`,
            [tables],
          );
          for (const { name } of there.rows)
            await client.query(`LOCK TABLE ${name} IN ACCESS EXCLUSIVE MODE`);
          const news = await client.query(
            `SELECT 1 FROM feed_batches WHERE day = $1 AND tx >= $2::xid8
             UNION ALL SELECT 1 FROM fact_changes WHERE day = $1 AND tx >= $2::xid8 AND kind <> 'cost' LIMIT 1`,
            [day, cursor],
          );
          if (news.rows.length > 0) return false;
          for (const f of files)
            await client.query(
              `INSERT INTO sealed_days (desk_id, day, file, sha256, visits, sums) VALUES ($1, $2, $3, $4, $5, $6)
               ON CONFLICT (desk_id, day) DO UPDATE SET file = excluded.file, sha256 = excluded.sha256,
                 visits = excluded.visits, sums = excluded.sums, sealed_at = now()`,
              [f.deskId, day, f.file, f.sha256, String(f.visits), JSON.stringify(Object.fromEntries(f.sums))],
            );
          for (const { name } of there.rows) await client.query(`DROP TABLE ${name}`);
          return true;
        });
      } catch (error) {
        if ((error as { code?: string }).code !== LOCK_NOT_AVAILABLE) throw error;
      }
    return false;
  }

  /** Files that no day names any more, and those of a run that was killed. */
  private async forgetReplaced(): Promise<void> {
    const { rows } = await this.deps.pool.query<{ file: string }>('SELECT file FROM sealed_days');
    const named = new Set(rows.map((r) => r.file));
    for (const file of filesIn(this.deps.folder))
      if (!named.has(file) && this.now() - statSync(join(this.deps.folder, file)).mtimeMs > KEEP_REPLACED_MS)
        rmSync(join(this.deps.folder, file), { force: true });
  }
}

/** Whichever source marks them: a sub-ID of one name is one dimension on the desk. */
async function personalSubs(pool: Pool, deskId: string): Promise<Set<string>> {
  const { rows } = await pool.query<{ body: unknown }>(
    `SELECT body FROM parts WHERE desk_id = $1 AND kind = 'source'`,
    [deskId],
  );
  return new Set(
    rows.flatMap(({ body }) =>
      wholeBody('source', body)
        .parameters.filter((p) => p.role === 'sub' && p.personal)
        .map((p) => p.sub),
    ),
  );
}

const LOCK_NOT_AVAILABLE = '55P03';
interface Written extends SealedDay {
  sums: SumsByName;
  visits: bigint;
}

function filesIn(folder: string): string[] {
  try {
    return (readdirSync(folder, { recursive: true }) as string[]).filter((f) => f.endsWith('.parquet'));
  } catch {
    // Nothing has been sealed yet.
    return [];
  }
}

/** Days that visits have to be kept at least. */
async function neededDays(pool: Pool): Promise<number> {
  const { rows } = await pool.query<{ days: number }>(
    `SELECT max((body->>'windowDays')::int) AS days FROM parts WHERE kind = 'offer' AND body ? 'windowDays'`,
  );
  return Math.max(rows[0]?.days ?? 0, DEFAULT_WINDOW_DAYS) + AFTER_WINDOW_DAYS;
}
