/** The first owner's password lies in the data folder until it has been used; that of a demo desk, which is sample data, stays. */
import { readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { Models } from '../db/models.ts';

export const FIRST_SIGN_IN_FILES = ['owner-password', 'first-sign-in.txt'] as const;

export async function forgetFirstPassword(models: Models, dataFolder: string, email: string): Promise<void> {
  const text = await readFile(join(dataFolder, 'first-sign-in.txt'), 'utf8').catch(() => '');
  if (text.split('\n')[0] !== email) return;
  if ((await models.Desk.count({ where: { isDemo: true } })) > 0) return;
  for (const name of FIRST_SIGN_IN_FILES) await rm(join(dataFolder, name), { force: true });
}
