/** The first owner's password lies in the data folder until it has been used; that of a demo desk, which is sample data, stays. */
import { readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { Pool } from 'pg';

export const FIRST_SIGN_IN_FILES = ['owner-password', 'first-sign-in.txt'] as const;

export async function forgetFirstPassword(pool: Pool, dataFolder: string, email: string): Promise<void> {
  const text = await readFile(join(dataFolder, 'first-sign-in.txt'), 'utf8').catch(() => '');
  if (text.split('\n')[0] !== email) return;
  const { rows } = await pool.query('SELECT 1 FROM desks WHERE is_demo LIMIT 1');
  if (rows.length > 0) return;
  for (const name of FIRST_SIGN_IN_FILES) await rm(join(dataFolder, name), { force: true });
}
