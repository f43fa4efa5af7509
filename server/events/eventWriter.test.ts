import { describe, expect, it } from '@jest/globals';
import { EventWriter, MAX_WAITING_ROWS, RowRefused, WriterUnavailable } from './eventWriter.ts';

const refusal = Object.assign(new Error('bad row'), { code: '22021' });

describe('the group-commit writer', () => {
  it('acknowledges nothing before its batch is committed', async () => {
    let release = (): void => undefined;
    const gate = new Promise<void>((r) => (release = r));
    const batches: number[][] = [];
    const writer = new EventWriter<number>(async (rows) => {
      batches.push([...rows]);
      await gate;
    });
    let acknowledged = 0;
    const all = [1, 2, 3].map((n) => writer.submit(n).then(() => (acknowledged += 1)));
    await new Promise((r) => setTimeout(r, 20));
    expect(acknowledged).toBe(0);
    release();
    await Promise.all(all);
    expect([acknowledged, batches]).toEqual([3, [[1, 2, 3]]]);
  });

  it('halves a refused batch until the bad row stands alone', async () => {
    const kept: number[] = [];
    const writer = new EventWriter<number>(async (rows) => {
      if (rows.includes(5)) throw refusal;
      kept.push(...rows);
      return Promise.resolve();
    });
    const results = await Promise.allSettled([1, 2, 3, 4, 5, 6, 7].map((n) => writer.submit(n)));
    expect(kept.sort()).toEqual([1, 2, 3, 4, 6, 7]);
    const bad = results.filter((r) => r.status === 'rejected');
    expect(bad).toHaveLength(1);
    expect(bad[0]!.reason).toBeInstanceOf(RowRefused);
  });

  it('tells every submitter when the database is away, and tries once', async () => {
    let tries = 0;
    const writer = new EventWriter<number>(() => {
      tries += 1;
      return Promise.reject(new Error('connection refused'));
    });
    const results = await Promise.allSettled([writer.submit(1), writer.submit(2)]);
    expect(results.every((r) => r.status === 'rejected' && r.reason instanceof WriterUnavailable)).toBe(true);
    expect(tries).toBe(1);
  });

  it('drains on closing and refuses afterwards', async () => {
    const kept: number[] = [];
    const writer = new EventWriter<number>(async (rows) => {
      await new Promise((r) => setTimeout(r, 5));
      kept.push(...rows);
    });
    const last = writer.submit(1);
    await writer.close();
    await last;
    expect(kept).toEqual([1]);
    await expect(writer.submit(2)).rejects.toBeInstanceOf(WriterUnavailable);
  });

  it('refuses at once what no longer fits into the queue, and still writes what did', async () => {
    let release = (): void => undefined;
    const gate = new Promise<void>((resolve) => (release = resolve));
    let written = 0;
    const writer = new EventWriter<number>(async (rows) => {
      await gate;
      written += rows.length;
    });
    const fit = Array.from({ length: MAX_WAITING_ROWS }, (_, n) => writer.submit(n));
    let refused = 0;
    const rest = Array.from({ length: 5000 }, (_, n) => writer.submit(n).catch(() => (refused += 1)));
    await Promise.resolve();
    release();
    await Promise.all([...fit, ...rest]);
    expect(refused).toBeGreaterThan(0);
    expect(written + refused).toBe(MAX_WAITING_ROWS + 5000);
  });
});
