/**
 * The columnar index that reports are answered from: one DuckDB file, derived from PostgreSQL, which may be deleted at any
 * moment. Each desk has tables of its own, so that no question can reach another desk's rows; each named sub-ID is a column,
 * named by number, since names of columns ignore case.
 */
import { DuckDBInstance, type DuckDBConnection } from '@duckdb/node-api';
import { dimensions } from '@tracheon/core/metrics';
import { inTransaction } from './indexTransaction.ts';
import { KeptSums, type KeptSumsSettings } from './keptSums.ts';
import { threads } from './threads.ts';

/** Of the layout; an index of another one is built anew. */
export const INDEX_VERSION = '11';
/** Named sub-IDs and extras of a desk that can be reported; a link that names more is a mistake, and the rest is left out. */
export const MAX_NAMES = 200;
const SETTINGS = {
  threads: String(threads()),
  memory_limit: '1GB',
  // Texts by dictionary: a fifth smaller, and grouped by in half the time. No other program reads the file.
  storage_compatibility_version: 'latest',
};

/** Of visits and conversions alike. */
const DIMENSION_COLUMNS = dimensions.map((d) => `${d.name} VARCHAR`).join(', ');

/** null: not asked for yet, or forgotten. */
export interface Seen {
  /** Of costs. */
  currencies: ReadonlySet<string> | null;
  sources: ReadonlySet<string> | null;
}
export const NOTHING_SEEN: Seen = { currencies: null, sources: null };
/** With what comes; what nobody has asked for stays so. */
const withMore = (seen: ReadonlySet<string> | null, more: readonly string[]): ReadonlySet<string> | null =>
  seen && (more.every((one) => seen.has(one)) ? seen : new Set([...seen, ...more]));

export interface DeskTables {
  visits: string;
  conversions: string;
  /** What conversions were before each later change of the last weeks, and when that was booked. */
  steps: string;
  /** Costs that belong to no visit, in the columns of visits: unallocated, or in another currency than the visit's own cost. */
  extras: string;
  /** Some cost is not the visit's own: entries of what sources billed, models that are known later, credits. */
  hasSetCosts: boolean;
  /** Some rows are in `extras`. */
  hasExtras: boolean;
  /** What every question would find anew; forgotten whenever something is written to the desk. */
  found: Map<string, unknown>;
  /** Sums of older visits; null where the tables are of one question alone. */
  keptSums: KeptSums | null;
  /** What visits have in them, or had; added to by each that comes. */
  seen: Seen;
  /** Columns of named sub-IDs, by name. */
  subs: Map<string, string>;
  /** Columns of extras that conversions have, by name. */
  conversionExtras: Map<string, string>;
  /** The desk has named more than there is room for; those are in no report. */
  hasMoreSubs: boolean;
}

/** Sub-IDs and extras that rows name. */
export interface Names {
  subs: ReadonlySet<string>;
  extras: ReadonlySet<string>;
}

/** Names that get a column on some of a desk's tables, where they have none yet. */
interface NewColumns {
  names: ReadonlySet<string>;
  letter: 's' | 'x';
  /** Those that have one. */
  of: Map<string, string>;
  list: 'subs' | 'conversion_extras';
  on: readonly string[];
}

const moreSubs = (desk: number): string => `more subs of ${desk}`;
const setCosts = (desk: number): string => `set costs of ${desk}`;

/** Transactions in which nothing happened are read again after a death: at most those of so long. */
const KEEP_CURSOR_MS = 60_000;

export class IndexFile {
  private readonly desks = new Map<string, { n: number; tables: DeskTables }>();
  /** The first transaction that was not taken in yet. */
  private takenTo = 0n;
  private keptAtMs = 0;
  /** Some stretch may have to be settled; false: none has. */
  hasUnsettled = true;

  private constructor(
    private readonly instance: DuckDBInstance,
    /** The feeder's own, for one statement at a time: DuckDB breaks one off when another begins. Questions have one each. */
    readonly feeding: DuckDBConnection,
    readonly keptSums: KeptSums,
  ) {}

  /** Throws when the file is damaged, or another process has it. */
  static async open(path: string, keptSums?: KeptSumsSettings): Promise<IndexFile> {
    const instance = await DuckDBInstance.create(path, SETTINGS);
    const feeding = await instance.connect();
    const index = new IndexFile(instance, feeding, new KeptSums(keptSums));
    await feeding.run(`
      ATTACH ':memory:' AS ${index.keptSums.database};
      CREATE TABLE IF NOT EXISTS meta (key VARCHAR PRIMARY KEY, value VARCHAR NOT NULL);
      CREATE TABLE IF NOT EXISTS desks (n INTEGER PRIMARY KEY, desk_id VARCHAR UNIQUE NOT NULL);
      CREATE TABLE IF NOT EXISTS subs (desk INTEGER NOT NULL, n INTEGER NOT NULL, name VARCHAR NOT NULL, UNIQUE (desk, name));
      CREATE TABLE IF NOT EXISTS conversion_extras (desk INTEGER NOT NULL, n INTEGER NOT NULL, name VARCHAR NOT NULL, UNIQUE (desk, name));
      CREATE TABLE IF NOT EXISTS sealed (desk_id VARCHAR NOT NULL, day VARCHAR NOT NULL, file VARCHAR NOT NULL, PRIMARY KEY (desk_id, day));
      CREATE TABLE IF NOT EXISTS unsettled (desk_id VARCHAR NOT NULL, source_id VARCHAR NOT NULL, from_ms BIGINT NOT NULL, to_ms BIGINT NOT NULL);`);
    for (const { n, desk_id } of await index.rows<{ n: number; desk_id: string }>(
      'SELECT n, desk_id FROM desks',
    ))
      index.remember(desk_id, n);
    await index.rememberNames();
    const meta = await index.meta();
    index.takenTo = BigInt(meta.cursor ?? 0);
    for (const { n, tables } of index.desks.values()) {
      tables.hasMoreSubs = meta[moreSubs(n)] !== undefined;
      tables.hasSetCosts = meta[setCosts(n)] !== undefined;
      tables.hasExtras = (await index.rows(`SELECT 1 FROM ${tables.extras} LIMIT 1`)).length > 0;
    }
    return index;
  }

  private async rememberNames(): Promise<void> {
    const named = (table: string) =>
      this.rows<{ desk: number; n: number; name: string }>(`SELECT desk, n, name FROM ${table} ORDER BY n`);
    const [subs, extras] = [await named('subs'), await named('conversion_extras')];
    for (const { n: desk, tables } of this.desks.values()) {
      for (const s of subs.filter((one) => one.desk === desk)) tables.subs.set(s.name, `s${s.n}`);
      for (const x of extras.filter((one) => one.desk === desk))
        tables.conversionExtras.set(x.name, `x${x.n}`);
    }
  }

  connect(): Promise<DuckDBConnection> {
    return this.instance.connect();
  }

  async rows<R>(sql: string, values: string[] = []): Promise<R[]> {
    const reader = await this.feeding.runAndReadAll(sql, values);
    return reader.getRowObjectsJS() as R[];
  }

  async meta(): Promise<Record<string, string>> {
    const rows = await this.rows<{ key: string; value: string }>('SELECT key, value FROM meta');
    return Object.fromEntries(rows.map((r) => [r.key, r.value]));
  }

  /** Within the transaction that is open, if one is. */
  async setMeta(values: Record<string, string>): Promise<void> {
    const all = Object.entries(values);
    const places = all.map((_, i) => `($${2 * i + 1}, $${2 * i + 2})`).join(', ');
    await this.feeding.run(`INSERT OR REPLACE INTO meta VALUES ${places}`, all.flat());
  }

  get cursor(): bigint {
    return this.takenTo;
  }
  /** What the step took in and how far it came are committed together. */
  async takeTo(cursor: bigint, work: () => Promise<void>): Promise<void> {
    await inTransaction(this.feeding, async () => {
      await work();
      await this.setMeta({ cursor: String(cursor), fedAt: new Date().toISOString() });
    });
    this.takenTo = cursor;
    this.keptAtMs = Date.now();
  }
  /** There was nothing to take in. That is written down now and then: it happens all the time. */
  async passTo(cursor: bigint, nowMs = Date.now()): Promise<void> {
    if (nowMs - this.keptAtMs >= KEEP_CURSOR_MS) await this.takeTo(cursor, () => Promise.resolve());
    this.takenTo = cursor;
  }

  /** Within the transaction that sets them; a question that began before sees the costs as they were. */
  async noteSetCosts(deskId: string): Promise<void> {
    const { n, tables } = this.desks.get(deskId)!;
    if (!tables.hasSetCosts) await this.setMeta({ [setCosts(n)]: 'yes' });
    tables.hasSetCosts = true;
  }

  /** Before visits are written; what this returns is given to `written` then. */
  coming(deskId: string, currencies: readonly string[], sources: readonly string[]): Seen {
    const tables = this.tablesOf(deskId)!;
    const seen = {
      currencies: withMore(tables.seen.currencies, currencies),
      sources: withMore(tables.seen.sources, sources),
    };
    // A question may look now, and would keep what it finds without them.
    tables.seen = { ...seen };
    return seen;
  }

  /**
   * Once what was written is committed; `fromMs`: the first time of a visit or cost that it changed. Whoever writes anything but
   * visits has all that was seen forgotten.
   */
  async written(deskId: string, fromMs: number, seen: Seen = NOTHING_SEEN): Promise<void> {
    const tables = this.tablesOf(deskId);
    if (!tables) return;
    this.keptSums.touch(tables.visits, fromMs);
    tables.seen = { ...seen };
    tables.hasExtras = (await this.rows(`SELECT 1 FROM ${tables.extras} LIMIT 1`)).length > 0;
    tables.found = new Map();
  }

  /** undefined: nothing of this desk has come yet. */
  tablesOf(deskId: string): DeskTables | undefined {
    return this.desks.get(deskId)?.tables;
  }
  get deskIds(): string[] {
    return [...this.desks.keys()];
  }

  /** Tables for the desk, and columns for sub-IDs and extras; not while a transaction is open. */
  async makeRoom(deskId: string, names: Names): Promise<DeskTables> {
    const { n, tables } = this.desks.get(deskId) ?? (await this.makeDesk(deskId));
    const { visits, conversions, extras } = tables;
    await this.makeColumns(n, tables, [
      { names: names.subs, letter: 's', of: tables.subs, list: 'subs', on: [visits, conversions, extras] },
      {
        names: names.extras,
        letter: 'x',
        of: tables.conversionExtras,
        list: 'conversion_extras',
        on: [conversions],
      },
    ]);
    return tables;
  }

  /** In one transaction: a link with eleven parameters takes as long as one with a single one. */
  private async makeColumns(desk: number, tables: DeskTables, wanted: readonly NewColumns[]): Promise<void> {
    const coming = wanted.flatMap(({ names, of, ...rest }) =>
      [...names].filter((name) => !of.has(name)).map((name) => ({ name, of, ...rest })),
    );
    // Counted together: columns of a table are then in the order of their numbers.
    const taken = tables.subs.size + tables.conversionExtras.size;
    const made = coming
      .slice(0, Math.max(0, MAX_NAMES - taken))
      .map((one, i) => ({ ...one, n: taken + 1 + i }));
    const isTooMany = made.length < coming.length && !tables.hasMoreSubs;
    if (made.length === 0 && !isTooMany) return;
    await inTransaction(this.feeding, async () => {
      const alter = made.flatMap(({ letter, n, on }) =>
        on.map((table) => `ALTER TABLE ${table} ADD COLUMN ${letter}${n} VARCHAR;`),
      );
      if (alter.length > 0) await this.feeding.run(alter.join(' '));
      for (const { list } of wanted) {
        const rows = made.filter((one) => one.list === list);
        const places = rows.map((_, i) => `(${desk}, $${2 * i + 1}, $${2 * i + 2})`);
        const values = rows.flatMap(({ n, name }) => [n, name]);
        if (rows.length > 0)
          await this.feeding.run(`INSERT INTO ${list} VALUES ${places.join(', ')}`, values);
      }
      if (isTooMany) await this.setMeta({ [moreSubs(desk)]: 'yes' });
    });
    for (const { of, name, letter, n } of made) of.set(name, `${letter}${n}`);
    tables.hasMoreSubs ||= isTooMany;
  }

  private async makeDesk(deskId: string): Promise<{ n: number; tables: DeskTables }> {
    const n = this.desks.size + 1;
    const visits = `(id_ms BIGINT, id_a INTEGER, id_b INTEGER, id_c INTEGER, visit_at BIGINT, quarter INTEGER, ${DIMENSION_COLUMNS},
        flags USMALLINT, cost_micros BIGINT, cost_currency VARCHAR, set_micros BIGINT, set_currency VARCHAR)`;
    await inTransaction(this.feeding, async () => {
      await this.feeding.run(`
      CREATE TABLE visits_${n} ${visits};
      CREATE TABLE extras_${n} ${visits};
      CREATE TABLE conversions_${n} (id VARCHAR, visit_at BIGINT, converted_at BIGINT, click_id VARCHAR, ${DIMENSION_COLUMNS},
        event_type_id VARCHAR, status VARCHAR, currency VARCHAR, payout_micros BIGINT, base_micros BIGINT, partner_micros BIGINT, is_estimate BOOLEAN);
      CREATE TABLE steps_${n} (n BIGINT, id VARCHAR, booked_at BIGINT, existed BOOLEAN, status VARCHAR, currency VARCHAR,
        payout_micros BIGINT, base_micros BIGINT, partner_micros BIGINT, converted_at BIGINT);
      INSERT INTO desks VALUES (${n}, '${deskId.replaceAll("'", "''")}');`);
    });
    return this.remember(deskId, n);
  }

  private remember(deskId: string, n: number): { n: number; tables: DeskTables } {
    const tables = {
      visits: `visits_${n}`,
      conversions: `conversions_${n}`,
      steps: `steps_${n}`,
      extras: `extras_${n}`,
      hasSetCosts: false,
      hasExtras: false,
      found: new Map<string, unknown>(),
      keptSums: this.keptSums,
      seen: { ...NOTHING_SEEN },
      subs: new Map<string, string>(),
      conversionExtras: new Map<string, string>(),
      hasMoreSubs: false,
    };
    const made = { n, tables };
    this.desks.set(deskId, made);
    return made;
  }

  close(): void {
    this.feeding.closeSync();
    this.instance.closeSync();
  }
}
