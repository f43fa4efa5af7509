/**
 * CPU time of whole processes, all their threads, as Linux counts it in /proc/<pid>/stat (proc_pid_stat(5)), so that a
 * figure means something on a machine whose speed changes: user and system time, in ticks of 10 ms.
 */
import { readdirSync, readFileSync } from 'node:fs';
import type pg from 'pg';

const TICK_US = 10_000;
/** After the command's name, which may hold spaces and brackets: state, parent, … */
const AFTER_NAME = { parent: 1, user: 11, system: 12, childrenUser: 13, childrenSystem: 14 };

function stat(pid: number | string): number[] | null {
  try {
    const text = readFileSync(`/proc/${pid}/stat`, 'latin1');
    return text
      .slice(text.lastIndexOf(')') + 2)
      .split(' ')
      .map(Number);
  } catch {
    // It has ended meanwhile.
    return null;
  }
}

const ticks = (s: readonly number[] | null, withEnded = false): number =>
  s === null
    ? 0
    : s[AFTER_NAME.user]! +
      s[AFTER_NAME.system]! +
      (withEnded ? s[AFTER_NAME.childrenUser]! + s[AFTER_NAME.childrenSystem]! : 0);

/** Microseconds that a process has used since it began. */
export const cpuOf = (pid: number): number => ticks(stat(pid)) * TICK_US;

/** Microseconds that PostgreSQL has used with all its processes, those that have ended included. */
export function cpuOfPostgres(postmaster: number): number {
  const all = readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .map(stat)
    .filter((s) => s?.[AFTER_NAME.parent] === postmaster);
  return all.reduce((sum, s) => sum + ticks(s), ticks(stat(postmaster), true)) * TICK_US;
}

/** The process that started the one of this connection. Fails where PostgreSQL runs on another machine. */
export async function postmasterOf(client: pg.Client): Promise<number> {
  const { rows } = await client.query<{ pid: number }>('SELECT pg_backend_pid() AS pid');
  const parent = stat(rows[0]!.pid)?.[AFTER_NAME.parent];
  if (parent === undefined) throw new Error('PostgreSQL does not run on this machine');
  return parent;
}

/** What a run cost for each of its requests, in µs of CPU time. */
export interface CpuFigures {
  cpuServerUs: number;
  cpuDatabaseUs: number;
  cpuLoadUs: number;
}

/** `run` says how many requests it made, and what the load generator used for them. */
export async function withCpu<T extends { answers: number; cpuUs: number }>(
  { serverPid, postmaster }: { serverPid: number; postmaster: number },
  run: () => Promise<T>,
): Promise<{ result: T; cpu: CpuFigures }> {
  const before = { server: cpuOf(serverPid), database: cpuOfPostgres(postmaster) };
  const result = await run();
  const each = (us: number): number => Number((us / Math.max(1, result.answers)).toFixed(1));
  return {
    result,
    cpu: {
      cpuServerUs: each(cpuOf(serverPid) - before.server),
      cpuDatabaseUs: each(cpuOfPostgres(postmaster) - before.database),
      cpuLoadUs: each(result.cpuUs),
    },
  };
}
