/**
 * The last good configuration and the salts, kept on disk beside the spool, so that a process can be started while the
 * database is away. One line `tracheon-ground <version> <SHA-256 of the rest>`, then JSON. A file that is torn, altered
 * or of another version is none: it is written anew as soon as the database has answered.
 */
import { createHash, randomBytes } from 'node:crypto';
import { mkdir, open, readFile, rename } from 'node:fs/promises';
import { join } from 'node:path';
import type { RawConfiguration } from '../capture/snapshot.ts';
import type { Salts } from '../capture/uniqueness.ts';

/** Raised whenever the shape of what is kept changes. */
const VERSION = 6;
const FILE = 'ground.snapshot';
const DAY_MS = 86_400_000;

/** Salts by UTC day (ISO), in hex. */
export type SaltsByDay = Record<string, string>;
export interface KeptGround {
  raw: RawConfiguration;
  salts: SaltsByDay;
}

const digest = (json: string): string => createHash('sha256').update(json).digest('hex');

/** Written aside, synced, then renamed: whoever reads finds the old one or the new one, whole. */
export async function writeGround(folder: string, ground: KeptGround): Promise<void> {
  await mkdir(folder, { recursive: true, mode: 0o700 });
  const json = JSON.stringify(ground);
  const aside = join(folder, `${FILE}.${process.pid}`);
  const handle = await open(aside, 'w', 0o600);
  try {
    await handle.writeFile(`tracheon-ground ${VERSION} ${digest(json)}\n${json}`);
    await handle.sync();
  } finally {
    await handle.close();
  }
  await rename(aside, join(folder, FILE));
  const names = await open(folder, 'r');
  await names.sync().finally(() => names.close());
}

/** null when there is none that can be trusted. */
export async function readGround(folder: string): Promise<KeptGround | null> {
  const text = await readFile(join(folder, FILE), 'utf8').catch(() => '');
  const end = text.indexOf('\n');
  const [name, version, sum] = text.slice(0, Math.max(end, 0)).split(' ');
  const json = text.slice(end + 1);
  if (name !== 'tracheon-ground' || version !== String(VERSION) || sum !== digest(json)) return null;
  return JSON.parse(json) as KeptGround;
}

/** Of today and yesterday. A day without one gets a new salt: its visitors are new to us until the database is back. */
export function saltsAt(nowMs: number, kept: SaltsByDay): Salts {
  const of = (ms: number): Buffer => {
    const hex = kept[new Date(ms).toISOString().slice(0, 10)];
    return hex === undefined ? randomBytes(32) : Buffer.from(hex, 'hex');
  };
  return { today: of(nowMs), yesterday: of(nowMs - DAY_MS) };
}

export function saltsByDay(nowMs: number, salts: Salts): SaltsByDay {
  const day = (ms: number): string => new Date(ms).toISOString().slice(0, 10);
  return {
    [day(nowMs)]: salts.today.toString('hex'),
    [day(nowMs - DAY_MS)]: salts.yesterday.toString('hex'),
  };
}
