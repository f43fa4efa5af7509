/**
 * `--preload=2000000`: so many rows lie there before the run, under today's day, so that it is seen whether the cost of a
 * request grows with what is stored.
 */
import { copyConversions, copyVisits } from '../tests/integration/manyRows.ts';
import { say, type Scene } from './run.ts';

const rows = Number(process.argv.find((a) => a.startsWith('--preload='))?.slice(10) ?? 0);

/** Resolves with how many were added. */
export async function preloadVisits({ client }: Scene): Promise<number> {
  if (rows === 0) return 0;
  await copyVisits(client, rows);
  await client.query('ANALYZE visits');
  say(`${rows} visits more`);
  return rows;
}

/** Resolves with how many were added. */
export async function preloadConversions({ client }: Scene): Promise<number> {
  if (rows === 0) return 0;
  await copyConversions(client, rows);
  say(`${rows} conversions more`);
  return rows;
}
