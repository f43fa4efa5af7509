/** A server that is in trouble itself: its disk, rows that wait on disk, and a database that is away. */
import { statfs } from 'node:fs/promises';
import type { FoundSignal } from './reconcile.ts';

/** Free space under both of these is little. */
const LEAST_FREE_BYTES = 2e9;
const LEAST_FREE_SHARE = 0.05;
/** Rows that wait longer than this are no hiccup. */
const WAITS_MS = 60_000;

export interface ServerSeen {
  dataFolder: string;
  spoolFiles: () => Promise<number>;
}

/** Remembers since when rows wait. */
export class ServerTrouble {
  private waitingSinceMs: number | null = null;

  constructor(private readonly seen: ServerSeen) {}

  async look(nowMs: number): Promise<FoundSignal[]> {
    const files = await this.seen.spoolFiles();
    if (files === 0) this.waitingSinceMs = null;
    else this.waitingSinceMs ??= nowMs;
    const found: FoundSignal[] = [];
    const base = {
      kind: 'server_trouble' as const,
      group: 'server',
      groupName: 'this server',
      sure: '',
      to: '/today',
    };
    if (this.waitingSinceMs !== null && nowMs - this.waitingSinceMs >= WAITS_MS)
      found.push({
        ...base,
        subject: 'spool',
        name: 'rows wait on disk',
        sinceMs: this.waitingSinceMs,
        sentence: `${files} ${files === 1 ? 'file' : 'files'} of visits and postbacks wait on disk for the database. Nothing is lost.`,
        advice: 'Look at the database’s log. Reports have these visits once it takes them.',
      });
    const free = await statfs(this.seen.dataFolder).then(
      (s) => ({ bytes: s.bavail * s.bsize, share: s.bavail / s.blocks }),
      () => null,
    );
    if (free && free.bytes < LEAST_FREE_BYTES && free.share < LEAST_FREE_SHARE)
      found.push({
        ...base,
        subject: 'disk',
        name: 'disk almost full',
        sinceMs: null,
        sentence: `The disk of the data folder has ${(free.bytes / 1e9).toFixed(1)} GB left.`,
        advice: 'Make room soon: without it, visits can’t be kept while the database is away.',
      });
    return found;
  }
}
