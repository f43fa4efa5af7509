/**
 * Sums of visits that lie some days back, kept from one question to the next. A report is sorted, searched, paged and asked
 * again every few seconds, and what is old hardly ever changes: only the days since are gathered anew. Whatever is written
 * into such a stretch makes its sums be forgotten, so that they are never of another state than the index itself.
 */
import type { DuckDBConnection } from '@duckdb/node-api';
import { LRUCache } from 'lru-cache';
import { QUARTER_MS } from './quarters.ts';

const DAY_MS = 86_400_000;
const MINUTE_MS = 60_000;
/** Rows of all kept sums together: about 100 bytes each. */
const MOST_ROWS = 2_500_000;
/** Days that are gathered anew each time before the sums are made again with them. */
const MOST_DAYS_ANEW = 2;

export interface KeptSumsSettings {
  /** A stretch with fewer visits is gathered as quickly as its sums are found. */
  leastVisits: number;
  /** Into which nothing was written for so long. */
  quietMs: number;
}
export const KEPT_SUMS: KeptSumsSettings = { leastVisits: 300_000, quietMs: 5 * MINUTE_MS };

/** Indexes that were opened by this process: names of attached databases are the process's. */
let opened = 0;

/** Sums of everything before a time; `table`: null where there is too little to keep. */
export interface Kept {
  visits: string;
  untilMs: number;
  table: string | null;
  rows: number;
}
/** A question's stretch of visits, as far as their sums can be kept. */
export interface KeepAsked {
  connection: DuckDBConnection;
  /** The table of visits. */
  visits: string;
  fromMs: number;
  /** Not in it. */
  toMs: number;
  /** From then on visits may still become older than a verdict asks for. */
  youngFromMs: number;
  /** What is gathered of visits before a time, from which the key is made as well: all but the end is in it. */
  gathered: (untilMs: number) => { sql: string; values: string[] };
  /** What else the answer depends on. */
  ground: string;
}

interface Making {
  visits: string;
  untilMs: number;
  isSpoilt: boolean;
}

export class KeptSums {
  private readonly all = new LRUCache<string, Kept>({
    maxSize: MOST_ROWS,
    sizeCalculation: (kept) => kept.rows + 1,
    dispose: (kept) => void (kept.table !== null && this.gone.push(kept.table)),
  });
  /** Tables that nobody will read any more. */
  private readonly gone: string[] = [];
  private readonly making = new Set<Making>();
  /** By the table of visits: in which minute how early something was written. */
  private readonly writes = new Map<string, { minute: number; fromMs: number }[]>();
  private made = 0;
  /** The database in memory that they are in, which DuckDB attaches to the index. */
  readonly database = `kept_${++opened}`;
  /** Questions that read kept sums. */
  used = 0;

  constructor(
    private readonly settings: KeptSumsSettings = KEPT_SUMS,
    private readonly now: () => number = Date.now,
  ) {}

  /** Once it is committed: something of these visits, or of their costs, from this time on is another. */
  touch(visits: string, fromMs: number): void {
    if (fromMs === Infinity) return;
    for (const [key, kept] of this.all.entries())
      if (kept.visits === visits && kept.untilMs > fromMs) this.all.delete(key);
    for (const one of this.making) if (one.visits === visits && one.untilMs > fromMs) one.isSpoilt = true;
    const minute = Math.floor(this.now() / MINUTE_MS);
    const written = this.recent(visits);
    const last = written.at(-1);
    if (last?.minute === minute) last.fromMs = Math.min(last.fromMs, fromMs);
    else written.push({ minute, fromMs });
  }

  private recent(visits: string): { minute: number; fromMs: number }[] {
    const since = (this.now() - this.settings.quietMs) / MINUTE_MS;
    const recent = (this.writes.get(visits) ?? []).filter((w) => w.minute > since);
    this.writes.set(visits, recent);
    return recent;
  }

  /**
   * Sums of the older part, kept or made now; null where nothing is to be gained. Questions come one at a time, so that none
   * loses what it reads.
   */
  async of(asked: KeepAsked): Promise<(Kept & { table: string }) | null> {
    const { fromMs } = asked;
    const most = this.mostUntil(asked);
    if (most === null || most - fromMs < DAY_MS) return null;
    const { sql, values } = asked.gathered(0);
    const isWhole = most === asked.toMs;
    const key = JSON.stringify([asked.visits, sql, values, asked.ground, isWhole ? most : 'on']);
    const there = this.all.get(key);
    const isOfUse = there && there.untilMs <= most && most - there.untilMs <= MOST_DAYS_ANEW * DAY_MS;
    const kept = isOfUse ? there : await this.make(asked, most, key);
    if (!kept || kept.table === null) return null;
    this.used += 1;
    return { ...kept, table: kept.table };
  }

  /** A day begins there, unless the whole period is old. */
  private mostUntil({ visits, toMs, youngFromMs }: KeepAsked): number | null {
    const quiet = Math.min(this.now(), youngFromMs, ...this.recent(visits).map((w) => w.fromMs));
    if (toMs <= quiet && toMs % QUARTER_MS === 0) return toMs;
    const until = Math.floor(Math.min(quiet, toMs) / DAY_MS) * DAY_MS;
    return Number.isFinite(until) ? until : null;
  }

  /** null: something was written meanwhile. */
  private async make(asked: KeepAsked, untilMs: number, key: string): Promise<Kept | null> {
    const making = { visits: asked.visits, untilMs, isSpoilt: false };
    this.making.add(making);
    try {
      const kept = { visits: asked.visits, untilMs, ...(await this.written(asked, untilMs)) };
      // What is not kept is gone with the next question.
      const isTooLarge = kept.rows > MOST_ROWS / 2;
      if (kept.table !== null && (making.isSpoilt || isTooLarge)) this.gone.push(kept.table);
      if (making.isSpoilt) return null;
      this.all.set(key, isTooLarge ? { ...kept, table: null, rows: 0 } : kept);
      return kept;
    } finally {
      this.making.delete(making);
    }
  }

  private async written(asked: KeepAsked, untilMs: number): Promise<Pick<Kept, 'table' | 'rows'>> {
    const { connection, visits, fromMs } = asked;
    const many = await count(
      connection,
      `${visits} WHERE quarter >= ${Math.floor(fromMs / QUARTER_MS)} AND quarter < ${untilMs / QUARTER_MS}`,
    );
    if (many < this.settings.leastVisits) return { table: null, rows: 0 };
    const table = `${this.database}.sums_${++this.made}`;
    const { sql, values } = asked.gathered(untilMs);
    await connection.run(`CREATE TABLE ${table} AS ${sql}`, values);
    return { table, rows: await count(connection, table) };
  }

  /** Before a question begins to read. */
  async clean(connection: DuckDBConnection): Promise<void> {
    while (this.gone.length > 0) {
      await connection.run(`DROP TABLE IF EXISTS ${this.gone[0]}`);
      // Only now: a question may be stopped at any statement.
      this.gone.shift();
    }
  }
}

async function count(connection: DuckDBConnection, from: string): Promise<number> {
  const reader = await connection.runAndReadAll(`SELECT count(*)::DOUBLE FROM ${from}`);
  return reader.getRowsJS()[0]![0] as number;
}
