/** One stretch of a source while its costs are settled: what core decides about cells of alike visits, written to the visits. */
import type { DuckDBConnection } from '@duckdb/node-api';
import {
  scopeNames,
  scopeValue,
  settle,
  type CostCell,
  type CostEntry,
  type Settled,
} from '@tracheon/core/costs';
import { dimensions } from '@tracheon/core/metrics';
import type { CostGround } from './costGround.ts';
import { fillTable } from './fillTable.ts';
import { FLAGS } from './flags.ts';
import type { DeskTables } from './indexFile.ts';
import { fillModelCosts, MODEL_COST } from './modelCosts.ts';
import { quarterSql } from './quarters.ts';
import { rowsOf } from './sums.ts';
import type { Unsettled } from './unsettled.ts';

const dimensionNames = dimensions.map((d) => d.name);
/** Names of columns of the temporary tables. */
const keyColumn = (i: number): string => `k${i}`;

export class Settling {
  /** What cells are told apart by: what some entry names. */
  private names: string[] = [];

  constructor(
    private readonly db: DuckDBConnection,
    private readonly tables: DeskTables,
    private readonly ground: CostGround,
    private readonly of: Unsettled,
  ) {}

  /** Visits that may cost something, with what they cost by themselves or by a model, and their cells. */
  async prepare(entries: readonly CostEntry[]): Promise<void> {
    const { db, tables } = this;
    this.names = [...new Set(entries.flatMap(scopeNames))].sort();
    await fillModelCosts(db, tables, this.ground, this.of);
    const cuts = [...new Set([this.of.from, ...entries.flatMap((e) => [e.from, e.to])])]
      .filter((at) => at >= this.of.from && at < this.of.to)
      .sort((a, b) => a - b);
    await fillTable(
      db,
      'cuts',
      { since: 'BIGINT' },
      cuts.map((at) => [BigInt(at)]),
    );
    const keys = this.names.map((name, i) => `${this.columnOf(name)} AS ${keyColumn(i)}`);
    await db.run(
      `CREATE OR REPLACE TEMP TABLE cand AS
       SELECT v.rowid AS r, v.id_ms, v.id_a, v.id_b, v.id_c, v.visit_at, v.flags, u.since, ${[...keys, ''].join(', ')}
         v.flags & ${FLAGS.link} <> 0 AS has_link, v.cost_micros, v.cost_currency,
         ${MODEL_COST.micros} AS base, ${MODEL_COST.currency} AS base_currency
       FROM ${tables.visits} v ASOF JOIN cuts u ON v.visit_at >= u.since
         ${MODEL_COST.joins}
       WHERE ${this.where('v')} AND v.flags & ${FLAGS.repeat + FLAGS.test} = 0`,
      [this.of.sourceId],
    );
    const by = ['since', ...this.names.map((_, i) => keyColumn(i)), 'has_link'].join(', ');
    await db.run(
      `CREATE OR REPLACE TEMP TABLE cells AS SELECT (row_number() OVER () - 1)::INTEGER AS cell, *
       FROM (SELECT ${by}, count(*) AS n FROM cand GROUP BY ${by})`,
    );
  }

  private where(of: string): string {
    return `${of}.source_id = $1 AND ${of}.visit_at >= ${this.of.from} AND ${of}.visit_at < ${this.of.to}`;
  }
  private columnOf(name: string): string {
    const column = this.plainColumn(name);
    return column === undefined ? `''` : `coalesce(v.${column}, '')`;
  }
  private plainColumn(name: string): string | undefined {
    if (name === 'campaign') return 'campaign_id';
    return name === 'account' ? 'account_id' : this.tables.subs.get(name.slice('sub '.length));
  }

  async settle(entries: readonly CostEntry[]): Promise<void> {
    const settled = settle(entries, await this.cells());
    const places = ['cell', 'place'] as const;
    await fillTable(
      this.db,
      'follows',
      { [places[0]]: 'INTEGER', [places[1]]: 'INTEGER' },
      settled.follows.flatMap((place, cell) => (place < 0 ? [] : [[cell, place]])),
    );
    await fillTable(
      this.db,
      'credited',
      { [places[0]]: 'INTEGER', [places[1]]: 'INTEGER' },
      settled.credits.flatMap((all, cell) => all.map((place) => [cell, place])),
    );
    await fillTable(
      this.db,
      'spreads',
      { place: 'INTEGER', each: 'BIGINT', more: 'BIGINT', currency: 'VARCHAR', bit: 'INTEGER' },
      settled.spreads.map((s, i) => [i, s.each, BigInt(s.more), s.entry.currency, bitOf(s.entry)]),
    );
    await this.makeCosts();
    await this.write();
    await this.writeUnallocated(settled);
  }

  private async cells(): Promise<CostCell[]> {
    const rows = await rowsOf<Record<string, unknown>>(this.db, 'SELECT * FROM cells ORDER BY cell');
    return rows.map((row) => {
      const value = (name: string): string => {
        const at = this.names.indexOf(name);
        return at < 0 ? '' : String(row[keyColumn(at)]);
      };
      const subs = this.names
        .filter((n) => n.startsWith('sub '))
        .map((n) => [n.slice('sub '.length), value(n)]);
      return {
        at: Number(row.since),
        count: Number(row.n),
        campaignId: value('campaign'),
        accountId: value('account'),
        subs: Object.fromEntries(subs) as Record<string, string>,
        hasLinkCost: row.has_link === true,
      };
    });
  }

  /** `costs`: of each visit what it costs now, and what credits take off it. */
  private async makeCosts(): Promise<void> {
    const keys = ['since', ...this.names.map((_, i) => keyColumn(i)), 'has_link'].join(', ');
    const order = 'ORDER BY id_ms, id_a, id_b, id_c';
    await this.db.run(
      `CREATE OR REPLACE TEMP TABLE placed AS SELECT c.*, g.cell FROM cand c JOIN cells g USING (${keys});
       CREATE OR REPLACE TEMP TABLE followed AS
         SELECT p.r, s.each + (row_number() OVER (PARTITION BY f.place ${order}) <= s.more)::BIGINT AS micros, s.currency, s.bit
         FROM placed p JOIN follows f USING (cell) JOIN spreads s USING (place);
       CREATE OR REPLACE TEMP TABLE credits AS
         SELECT r, currency, sum(micros)::BIGINT AS micros FROM (
           SELECT p.r, s.currency, -(s.each + (row_number() OVER (PARTITION BY d.place ${order}) <= s.more)::BIGINT) AS micros
           FROM placed p JOIN credited d USING (cell) JOIN spreads s USING (place)) GROUP BY ALL;
       CREATE OR REPLACE TEMP TABLE costs AS
         SELECT p.r, coalesce(f.bit, 0) AS bit, p.cost_micros, p.cost_currency,
           CASE WHEN f.r IS NULL THEN p.base ELSE f.micros END AS own, CASE WHEN f.r IS NULL THEN p.base_currency ELSE f.currency END AS currency
         FROM placed p LEFT JOIN followed f USING (r);`,
    );
  }

  private async write(): Promise<void> {
    const { tables, db } = this;
    const bits = FLAGS.feed + FLAGS.file;
    await db.run(
      `CREATE OR REPLACE TEMP TABLE final AS
         SELECT c.r, c.bit, CASE WHEN isSame THEN NULL ELSE micros END AS micros, CASE WHEN isSame THEN NULL ELSE currency END AS currency
         FROM (SELECT c.r, c.bit, c.own + coalesce(d.micros, 0) AS micros, c.currency,
             c.bit = 0 AND c.own + coalesce(d.micros, 0) IS NOT DISTINCT FROM c.cost_micros AND (c.own IS NULL OR c.currency = c.cost_currency) AS isSame
           FROM costs c LEFT JOIN credits d ON d.r = c.r AND d.currency = c.currency AND c.own IS NOT NULL) c`,
    );
    await db.run(
      `UPDATE ${tables.visits} AS v SET set_micros = f.micros, set_currency = f.currency,
         flags = ((v.flags & ${0xffff - bits}) | f.bit)::USMALLINT
       FROM final f WHERE v.rowid = f.r AND (v.set_micros IS DISTINCT FROM f.micros OR v.set_currency IS DISTINCT FROM f.currency
         OR (v.flags & ${bits}) <> f.bit)`,
    );
    await db.run(`DELETE FROM ${tables.extras} e WHERE ${this.where('e')}`, [this.of.sourceId]);
    // Of a visit whose cost is not known, or is in another currency.
    const copied = this.extraColumns();
    await db.run(
      `INSERT INTO ${tables.extras} (${copied.join(', ')}, flags, set_micros, set_currency)
       SELECT ${copied.map((c) => `v.${c}`).join(', ')}, v.flags & ${FLAGS.bot}, d.micros, d.currency
       FROM credits d JOIN costs c USING (r) JOIN ${tables.visits} v ON v.rowid = d.r
       WHERE c.own IS NULL OR d.currency <> c.currency`,
    );
  }

  /** All that describes a visit. */
  private extraColumns(): string[] {
    return [
      'id_ms',
      'id_a',
      'id_b',
      'id_c',
      'visit_at',
      'quarter',
      ...dimensionNames,
      ...this.tables.subs.values(),
    ];
  }

  private async writeUnallocated({ unallocated }: Settled): Promise<void> {
    const { db, names, tables } = this;
    const keys = Object.fromEntries(names.map((_, i) => [keyColumn(i), 'VARCHAR' as const]));
    await fillTable(
      db,
      'loose',
      { since: 'BIGINT', bit: 'INTEGER', micros: 'BIGINT', currency: 'VARCHAR', ...keys },
      unallocated.map(({ entry, amount }) => [
        BigInt(entry.from),
        bitOf(entry),
        amount,
        entry.currency,
        ...names.map((name) => scopeValue(entry, name)),
      ]),
    );
    // A sub-ID for which there is no column is in no report.
    const told = names.flatMap((name, i) => {
      const column = this.plainColumn(name);
      return column === undefined ? [] : [[column, keyColumn(i)] as const];
    });
    const empty = dimensionNames.filter((d) => d !== 'source_id' && !told.some(([column]) => column === d));
    await db.run(
      `INSERT INTO ${tables.extras} (id_ms, id_a, id_b, id_c, visit_at, quarter, flags, set_micros, set_currency, source_id,
         ${[...told.map(([column]) => column), ...empty].join(', ')})
       SELECT 0, 0, 0, 0, since, ${quarterSql('since')}, bit, micros, currency, $1, ${[...told.map(([, key]) => key), ...empty.map(() => `''`)].join(', ')} FROM loose`,
      [this.of.sourceId],
    );
  }
}

const bitOf = ({ channel }: CostEntry): number =>
  channel === 'file' ? FLAGS.file : channel === 'feed' ? FLAGS.feed : 0;
