/** Very many rows, made in the database as copies of one that is there, each under an ID of its own and of today. */
import type pg from 'pg';
import { makeUlid } from '@tracheon/core/identity';

const DAY_MS = 86_400_000;
const TIME_LENGTH = 10;
const RANDOM_LENGTH = 16;

/** First characters of IDs of today. */
function timesOfToday(): string[] {
  const midnight = Math.floor(Date.now() / DAY_MS) * DAY_MS;
  const nothing = Array<number>(RANDOM_LENGTH).fill(0);
  return Array.from({ length: 1000 }, (_, n) => makeUlid(midnight + n, nothing).slice(0, TIME_LENGTH));
}

/** For each n and kind; the digits of MD5 are among those of click IDs. */
const idOf = (kind: string): string =>
  `($1::text[])[1 + n % 1000] || upper(substr(md5('${kind}' || n), 1, ${RANDOM_LENGTH}))`;

/** `own`: columns that each copy has of its own, as SQL of its number `n`; the others are those of `like`. */
async function copy(
  client: Pick<pg.Pool, 'query'>,
  count: number,
  table: string,
  like: string,
  own: Record<string, string>,
): Promise<void> {
  const names = Object.keys(own);
  const { rows } = await client.query<{ name: string }>(
    `SELECT column_name AS name FROM information_schema.columns
     WHERE table_name = $1 AND is_identity = 'NO' AND NOT column_name = ANY ($2)`,
    [table, [...names, 'tx']],
  );
  const others = rows.map((c) => `"${c.name}"`).join(', ');
  await client.query(
    `INSERT INTO ${table} (${names.join(', ')}, ${others})
     SELECT ${Object.values(own).join(', ')}, ${others}
     FROM (SELECT * FROM ${table} WHERE ${like} LIMIT 1) AS sample, generate_series(1, ${count}) AS n`,
    [timesOfToday()],
  );
}

/** Visits like one that is there. */
export const copyVisits = (client: Pick<pg.Pool, 'query'>, count: number, like = 'true'): Promise<void> =>
  copy(client, count, 'visits', like, { id: idOf('v') });

/** Visits that have converted, with all that a conversion leaves, like one that is there; then all tables are counted. */
export async function copyConversions(client: Pick<pg.Pool, 'query'>, count: number): Promise<void> {
  await copyVisits(client, count, `id = (SELECT owner FROM outcomes WHERE owner <> '' LIMIT 1)`);
  await copy(client, count, 'outcomes', `owner <> ''`, {
    receipt_id: idOf('r'),
    owner: idOf('v'),
    click_id: idOf('v'),
    conversion_id: idOf('c'),
  });
  // After their outcomes: a server that runs would judge them.
  await copy(client, count, 'receipts', 'true', { id: idOf('r') });
  await copy(client, count, 'conversions', 'true', {
    id: idOf('c'),
    owner: idOf('v'),
    click_id: idOf('v'),
    ident: `'t:P' || n`,
    transaction: `'P' || n`,
  });
  await copy(client, count, 'ledger', 'true', { conversion_id: idOf('c'), receipt_id: idOf('r') });
  await client.query('ANALYZE');
}
