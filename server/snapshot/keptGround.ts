/**
 * The last good configuration of every desk and the salts, kept on disk beside the spool, so that a process can be started
 * while the database is away. A file a desk, so that a save writes its own desk only. One line
 * `tracheon-ground <version> <SHA-256 of the rest>`, then JSON. A file that is torn, altered or of another version is none:
 * it is written anew as soon as the database has answered.
 */
import { createHash } from 'node:crypto';
import { mkdir, open, readdir, readFile, rename } from 'node:fs/promises';
import { join } from 'node:path';
import type { DeskConfiguration } from './compiled.ts';

/** Raised whenever the shape of what is kept changes. */
const VERSION = 8;
const FOLDER = 'ground';
const SALTS = 'salts.snapshot';
const DESK = /^desk-(\w+)\.snapshot$/;

/** Salts by UTC day (ISO), in hex. */
export type SaltsByDay = Record<string, string>;
export interface KeptGround {
  desks: DeskConfiguration[];
  salts: SaltsByDay;
}

export const keepDesk = (dataFolder: string, desk: DeskConfiguration): Promise<void> =>
  writeWhole(dataFolder, `desk-${desk.deskId}.snapshot`, desk);
/** Who is told of a database that is away. */
export interface Recipient {
  email: string;
  desk: string;
}
const RECIPIENTS = 'recipients.snapshot';
export const keepRecipients = (dataFolder: string, all: readonly Recipient[]): Promise<void> =>
  writeWhole(dataFolder, RECIPIENTS, all);
export const readRecipients = async (dataFolder: string): Promise<Recipient[]> =>
  ((await readWhole(join(dataFolder, FOLDER, RECIPIENTS))) ?? []) as Recipient[];

export const keepSalts = (dataFolder: string, salts: SaltsByDay): Promise<void> =>
  writeWhole(dataFolder, SALTS, salts);

/** What can be trusted; null when that is no desk at all. */
export async function readGround(dataFolder: string): Promise<KeptGround | null> {
  const folder = join(dataFolder, FOLDER);
  const names = (await readdir(folder).catch(() => [])).filter((name) => DESK.test(name));
  const found = await Promise.all(names.map((name) => readWhole(join(folder, name))));
  const desks = found.filter((desk) => desk !== null) as DeskConfiguration[];
  if (desks.length === 0) return null;
  return { desks, salts: ((await readWhole(join(folder, SALTS))) ?? {}) as SaltsByDay };
}

const digest = (json: string): string => createHash('sha256').update(json).digest('hex');

/** Written aside, synced, then renamed: whoever reads finds the old one or the new one, whole. */
async function writeWhole(dataFolder: string, name: string, content: unknown): Promise<void> {
  const folder = join(dataFolder, FOLDER);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  const json = JSON.stringify(content);
  const aside = join(folder, `${name}.${process.pid}`);
  const handle = await open(aside, 'w', 0o600);
  try {
    await handle.writeFile(`tracheon-ground ${VERSION} ${digest(json)}\n${json}`);
    await handle.sync();
  } finally {
    await handle.close();
  }
  await rename(aside, join(folder, name));
  const names = await open(folder, 'r');
  await names.sync().finally(() => names.close());
}

async function readWhole(file: string): Promise<unknown> {
  const text = await readFile(file, 'utf8').catch(() => '');
  const end = text.indexOf('\n');
  const [name, version, sum] = text.slice(0, Math.max(end, 0)).split(' ');
  const json = text.slice(end + 1);
  const isWhole = name === 'tracheon-ground' && version === String(VERSION) && sum === digest(json);
  return isWhole ? JSON.parse(json) : null;
}
