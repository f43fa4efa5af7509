/** What is copied into a file: every row, whatever is in it; and an error leaves no connection that nobody can use. */
import { mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { copyOut } from '../../server/db/copyOut.ts';
import { openPool } from '../../server/db/pools.ts';
import { freshDatabase, type FreshDatabase } from './freshDatabase.ts';

const folder = mkdtempSync(join(tmpdir(), 'tracheon-copy-'));
const path = join(folder, 'rows.csv');
let database: FreshDatabase;
let pool: ReturnType<typeof openPool>;
beforeAll(async () => {
  database = await freshDatabase();
  pool = openPool(database.directUrl, 'test', 1);
});
afterAll(async () => {
  await pool.end();
  await database.drop();
  rmSync(folder, { recursive: true, force: true });
});

it('has all rows in their order, also those larger than any block', async () => {
  const wanted = Array.from({ length: 30_000 }, (_, i) => `${i},${'x'.repeat(i % 97)}`);
  wanted.push(`30000,${'y'.repeat(700_000)}`, '30001,');
  const select = `SELECT n, CASE WHEN n = 30000 THEN repeat('y', 700000) WHEN n = 30001 THEN '' ELSE repeat('x', n % 97) END FROM generate_series(0, 30001) n ORDER BY n`;
  expect(await copyOut(pool, select, path)).toEqual({ rows: 30_002, last: '30001,\n' });
  expect(readFileSync(path, 'utf8')).toBe(`${wanted.join('\n')}\n`);
  expect(statSync(path).mode & 0o777).toBe(0o600);
});

it('tells null from a text that looks like it, and nothing from an empty text', async () => {
  await copyOut(pool, `SELECT NULL, '\\N', '', 'a "b"'`, path);
  expect(readFileSync(path, 'utf8')).toBe('\\N,"\\N",,"a ""b"""\n');
  expect(await copyOut(pool, 'SELECT 1 WHERE false', path)).toEqual({ rows: 0, last: '' });
});

it('fails with what the database or the file says, and the pool goes on', async () => {
  await expect(copyOut(pool, 'SELECT 1 / (3 - n) FROM generate_series(1, 5) n', path)).rejects.toThrow(
    'division by zero',
  );
  await expect(copyOut(pool, 'SELECT 1', join(folder, 'nowhere', 'rows.csv'))).rejects.toThrow('ENOENT');
  expect(await copyOut(pool, 'SELECT 7', path)).toEqual({ rows: 1, last: '7\n' });
});
