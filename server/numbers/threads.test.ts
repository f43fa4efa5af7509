import { describe, expect, it } from '@jest/globals';
import { hasCpuCeiling, threadsFor } from './threads.ts';

const files =
  (all: Record<string, string>) =>
  (path: string): string | null =>
    all[path] ?? null;

it('takes all cores, at most four, and leaves one where processor time has a ceiling', () => {
  expect([1, 2, 4, 16].map((cores) => threadsFor(cores, false))).toEqual([1, 2, 4, 4]);
  expect([1, 2, 4, 16].map((cores) => threadsFor(cores, true))).toEqual([1, 1, 3, 4]);
});

describe('a ceiling of processor time', () => {
  it('is that of a container, or of a service by its own group', () => {
    expect(hasCpuCeiling(files({ '/sys/fs/cgroup/cpu.max': '200000 100000\n' }))).toBe(true);
    expect(hasCpuCeiling(files({ '/sys/fs/cgroup/cpu.max': 'max 100000\n' }))).toBe(false);
    const service = { '/proc/self/cgroup': '0::/system.slice/tracheon.service\n' };
    const of = (limit: string) =>
      files({ ...service, '/sys/fs/cgroup/system.slice/tracheon.service/cpu.max': limit });
    expect(hasCpuCeiling(of('150000 100000\n'))).toBe(true);
    expect(hasCpuCeiling(of('max 100000\n'))).toBe(false);
    const around = { ...service, '/sys/fs/cgroup/system.slice/cpu.max': '150000 100000\n' };
    expect(hasCpuCeiling(files(around))).toBe(true);
  });
  it('is told by the older control groups as well', () => {
    expect(hasCpuCeiling(files({ '/sys/fs/cgroup/cpu/cpu.cfs_quota_us': '200000\n' }))).toBe(true);
    expect(hasCpuCeiling(files({ '/sys/fs/cgroup/cpu/cpu.cfs_quota_us': '-1\n' }))).toBe(false);
  });
  it('is none where nobody tells of one', () => {
    expect(hasCpuCeiling(files({}))).toBe(false);
  });
});
