/**
 * A day's visits of a desk as a Parquet file that anything can read: without click IDs, each with its number in their order,
 * and with the cost that its campaign's model came to. What sources billed is spread over them again whenever it is needed.
 */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, openSync, closeSync, fsyncSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { dimensions } from '@tracheon/core/metrics';
import type { CostGround } from './costGround.ts';
import { FLAGS } from './flags.ts';
import type { DeskTables, IndexFile } from './indexFile.ts';
import { inTransaction } from './indexTransaction.ts';
import { fillModelCosts, MODEL_COST } from './modelCosts.ts';
import { quarterSql } from './quarters.ts';
import { noteUnsettled } from './unsettled.ts';
import { ofDay, visitsInIndex, type SumsByName } from './verify.ts';

const DAY_MS = 86_400_000;
/** A click ID is made up to so long before its visit is told. */
const NEAR_MS = 60_000;

export const sealedFolderOf = (dataFolder: string): string => join(dataFolder, 'sealed');

export interface SealedDay {
  deskId: string;
  day: string;
  /** Within the folder of sealed days. */
  file: string;
  sha256: string;
}
const text = (value: string): string => `'${value.replaceAll("'", "''")}'`;
const plain = ['visit_at', ...dimensions.map((d) => d.name), 'cost_micros', 'cost_currency'];

/** What was written, without the sub-IDs that are `personal`; the index stays as it is. */
export async function writeSealed(
  index: IndexFile,
  ground: CostGround | null,
  { deskId, day, personal }: Pick<SealedDay, 'deskId' | 'day'> & { personal: ReadonlySet<string> },
  path: string,
): Promise<{ sums: SumsByName; visits: bigint; sha256: string }> {
  const tables = index.tablesOf(deskId)!;
  const { feeding } = index;
  mkdirSync(dirname(path), { recursive: true, mode: 0o700 });
  await feeding.run('BEGIN');
  try {
    for (const sourceId of sourcesOf(ground)) await keepModelCosts(index, ground!, tables, day, sourceId);
    await feeding.run(`COPY (
        SELECT (row_number() OVER (ORDER BY id_ms, id_a, id_b, id_c))::INTEGER AS n, ${plain.join(', ')},
          ((flags & ${0xffff - FLAGS.feed - FLAGS.file}) | ${FLAGS.sealed})::USMALLINT AS flags, ${subsMap(tables, personal)} AS subs
        FROM ${tables.visits} WHERE ${ofDay(day)} ORDER BY n
      ) TO ${text(path)} (FORMAT parquet, COMPRESSION zstd)`);
    const sums = await visitsInIndex(feeding, tables, day);
    onDisk(path);
    return { sums, visits: countOf(sums), sha256: checksum(path) };
  } finally {
    await feeding.run('ROLLBACK');
  }
}

const countOf = (sums: SumsByName): bigint =>
  [...sums.values()].reduce((sum, s) => sum + BigInt(s.split(' ')[0]!), 0n);
const checksum = (path: string): string => createHash('sha256').update(readFileSync(path)).digest('hex');

/** The file and its name. */
function onDisk(path: string): void {
  for (const of of [path, dirname(path)]) {
    const file = openSync(of, 'r');
    fsyncSync(file);
    closeSync(file);
  }
}

const sourcesOf = (ground: CostGround | null): string[] => [
  ...new Set([...(ground?.campaigns.values() ?? [])].flatMap((c) => c.sourceIds)),
];

/** Named by their names: columns of the index are numbered, and names of columns ignore case. */
const subsMap = ({ subs }: DeskTables, personal: ReadonlySet<string>): string =>
  `map_from_entries(list_filter([${[...subs]
    .filter(([name]) => !personal.has(name))
    .map(([name, column]) => `struct_pack(k := ${text(name)}, v := ${column})`)
    .concat(`struct_pack(k := '', v := NULL::VARCHAR)`)
    .join(', ')}], lambda one: one.v IS NOT NULL))`;

async function keepModelCosts(
  { feeding }: IndexFile,
  ground: CostGround,
  tables: DeskTables,
  day: string,
  sourceId: string,
): Promise<void> {
  const from = Date.parse(day);
  await fillModelCosts(feeding, tables, ground, {
    sourceId,
    from: from - NEAR_MS,
    to: from + DAY_MS + NEAR_MS,
  });
  await feeding.run(
    `UPDATE ${tables.visits} AS w SET cost_micros = x.micros, cost_currency = x.currency FROM (
       SELECT v.rowid AS r, ${MODEL_COST.micros} AS micros, ${MODEL_COST.currency} AS currency
       FROM ${tables.visits} v ${MODEL_COST.joins}
       WHERE v.source_id = $1 AND ${ofDay(day, 'v.')} AND v.flags & ${FLAGS.repeat + FLAGS.test} = 0) x
     WHERE w.rowid = x.r AND (w.cost_micros IS DISTINCT FROM x.micros OR w.cost_currency IS DISTINCT FROM x.currency)`,
    [sourceId],
  );
}

/**
 * Puts the day's file in the place of what the index has of that day, and has its costs settled again at the sources that
 * have some. false: the file is missing, or is not the one that was written.
 */
export async function loadSealed(
  index: IndexFile,
  folder: string,
  { deskId, day, file, sha256 }: SealedDay,
  sourceIds: readonly string[],
): Promise<boolean> {
  const path = join(folder, file);
  if (!existsSync(path) || checksum(path) !== sha256) return false;
  const from = text(path);
  const names = await index.rows<{ name: string }>(
    `SELECT DISTINCT unnest(map_keys(subs)) AS name FROM read_parquet(${from})`,
  );
  const { visits, subs } = await index.makeRoom(deskId, {
    subs: new Set(names.map((n) => n.name)),
    extras: new Set(),
  });
  const columns = await index.rows<{ column_name: string }>(`DESCRIBE SELECT * FROM read_parquet(${from})`);
  const inFile = new Set(columns.map((c) => c.column_name));
  // Days that were sealed before there was such a dimension know nothing of it.
  const written = plain.map((name) => (inFile.has(name) ? name : `''`));
  const start = Date.parse(day);
  // A desk may have more names than there is room for.
  const known = [...subs].filter(([name]) => names.some((n) => n.name === name));
  await inTransaction(index.feeding, async () => {
    await index.feeding.run(`DELETE FROM ${visits} WHERE ${ofDay(day)}`);
    await index.feeding.run(
      `INSERT INTO ${visits} (id_ms, id_a, id_b, id_c, quarter, ${plain.join(', ')}, flags, ${known.map(([, column]) => `${column}, `).join('')}set_micros, set_currency)
       SELECT least(greatest(visit_at, ${start}), ${start + DAY_MS - 1}), 0, 0, n, ${quarterSql('visit_at')}, ${written.join(', ')}, flags,
         ${known.map(([name]) => `map_extract_value(subs, ${text(name)}), `).join('')}NULL, NULL
       FROM read_parquet(${from}) ORDER BY n`,
    );
    await index.feeding.run('INSERT OR REPLACE INTO sealed VALUES ($1, $2, $3)', [deskId, day, file]);
    await noteUnsettled(
      index,
      sourceIds.map((sourceId) => ({
        deskId,
        sourceId,
        from: start - NEAR_MS,
        to: start + DAY_MS + NEAR_MS,
      })),
    );
  });
  await index.written(deskId, start - DAY_MS);
  return true;
}
