/** How many threads answer a question about numbers. */
import { readFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';

const MOST = 4;

/**
 * All cores: at the lowest priority, questions take only the time that visits leave. Where processor time has a ceiling, as in
 * many containers, a question would use it up for visits as well, whatever its priority; one core is left to them there.
 */
export function threadsFor(cores: number, hasCeiling: boolean): number {
  return Math.max(1, Math.min(MOST, hasCeiling ? cores - 1 : cores));
}

/** Of the control group of this process, or of one around it, of either version; `read`: null where there is no such file. */
export function hasCpuCeiling(read: (path: string) => string | null): boolean {
  const own = /^0::(\/.*)$/m.exec(read('/proc/self/cgroup') ?? '')?.[1] ?? '/';
  const names = own.split('/').filter((name) => name !== '');
  const groups = ['', ...names.map((_, i) => `/${names.slice(0, i + 1).join('/')}`)];
  const second = groups.map((group) => read(`/sys/fs/cgroup${group}/cpu.max`));
  if (second.some((limit) => limit !== null && !limit.startsWith('max'))) return true;
  const first = read('/sys/fs/cgroup/cpu/cpu.cfs_quota_us');
  return first !== null && Number(first) > 0;
}

function textOf(path: string): string | null {
  try {
    return readFileSync(path, 'utf8');
  } catch {
    return null;
  }
}

export const threads = (): number => threadsFor(availableParallelism(), hasCpuCeiling(textOf));
