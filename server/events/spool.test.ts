import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { Spool, SpoolFailed } from './spool.ts';
import type { SpoolDisk } from './spoolDisk.ts';
import { crc32c, decodeRecords, encodeRecord } from './spoolFormat.ts';

/** A disk that, when the power goes, forgets all bytes that were not synced and all names whose folder was not. */
class ForgetfulDisk implements SpoolDisk {
  files = new Map<string, { bytes: Buffer; synced: number; named: boolean }>();
  failing: 'append' | 'sync' | 'create' | null = null;
  syncs = 0;

  makeFolder = async (): Promise<void> => undefined;
  list = async (): Promise<string[]> => [...this.files.keys()];
  read = async (name: string): Promise<Buffer> => this.files.get(name)!.bytes;
  remove = async (name: string): Promise<void> => void this.files.delete(name);
  setAside = async (name: string): Promise<void> => {
    this.files.set(`${name}.torn`, this.files.get(name)!);
    this.files.delete(name);
  };
  syncFolder = async (): Promise<void> => {
    for (const f of this.files.values()) f.named = true;
  };
  create = async (name: string) => {
    if (this.failing === 'create') throw new Error('ENOSPC');
    const file = { bytes: Buffer.alloc(0), synced: 0, named: false };
    this.files.set(name, file);
    return {
      append: async (bytes: Buffer): Promise<void> => {
        await Promise.resolve();
        if (this.failing === 'append') throw new Error('ENOSPC');
        file.bytes = Buffer.concat([file.bytes, bytes]);
      },
      sync: async (): Promise<void> => {
        await Promise.resolve();
        if (this.failing === 'sync') throw new Error('EIO');
        this.syncs += 1;
        file.synced = file.bytes.length;
      },
      close: async (): Promise<void> => undefined,
    };
  };
  /** `kept` is the share of unsynced bytes that happen to survive. */
  powerCut(kept: number): void {
    for (const [name, f] of this.files) {
      if (!f.named) this.files.delete(name);
      else f.bytes = f.bytes.subarray(0, f.synced + Math.floor((f.bytes.length - f.synced) * kept));
    }
  }
  rows(): number[] {
    return [...this.files.values()]
      .flatMap((f) => decodeRecords(f.bytes).payloads.map(Number))
      .sort((a, b) => a - b);
  }
}
const open = (disk: SpoolDisk, instance = 'me', alive: string[] = []): Spool<number> =>
  new Spool<number>(disk, 'rows', instance, String, (other) => alive.includes(other));

describe('the format', () => {
  it('checks by CRC-32C', () => expect(crc32c(Buffer.from('123456789'))).toBe(0xe3069283));
  it('gives back what was written, and stops at the first record that is not whole', () => {
    fc.assert(
      fc.property(fc.array(fc.string(), { maxLength: 8 }), fc.nat(), fc.nat(255), (texts, cutAt, noise) => {
        const well = texts.map((t) => t.toWellFormed());
        const whole = Buffer.concat(well.map(encodeRecord));
        expect(decodeRecords(whole)).toEqual({ payloads: well, tornBytes: 0 });
        const cut = whole.subarray(0, cutAt % (whole.length + 1));
        const read = decodeRecords(cut);
        expect(well.slice(0, read.payloads.length)).toEqual(read.payloads);
        expect(
          well
            .slice(0, read.payloads.length)
            .map(encodeRecord)
            .reduce((n, b) => n + b.length, 0) + read.tornBytes,
        ).toBe(cut.length);
        expect(decodeRecords(Buffer.concat([whole, Buffer.from([noise, 0, 0])])).payloads).toEqual(well);
      }),
    );
  });
  it('does not take a flipped bit for a row', () => {
    const bytes = Buffer.concat(['a', 'bb', 'ccc'].map(encodeRecord));
    bytes[encodeRecord('a').length + 9]! ^= 1;
    expect(decodeRecords(bytes).payloads).toEqual(['a']);
  });
});

describe('the spool', () => {
  it('has on disk whatever it acknowledged, wherever the power is cut', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 1, max: 30 }),
        fc.nat(60),
        fc.double({ min: 0, max: 1, noNaN: true }),
        async (count, ticks, kept) => {
          const disk = new ForgetfulDisk();
          const spool = open(disk);
          const acknowledged: number[] = [];
          for (let n = 0; n < count; n++) void spool.append(n).then(() => acknowledged.push(n));
          for (let t = 0; t < ticks; t++) await Promise.resolve();
          const promised = [...acknowledged];
          disk.powerCut(kept);
          const there = new Set(disk.rows());
          expect(promised.filter((n) => !there.has(n))).toEqual([]);
        },
      ),
    );
  });

  it('shares one sync among rows that come together', async () => {
    const disk = new ForgetfulDisk();
    const spool = open(disk);
    await Promise.all(Array.from({ length: 100 }, (_, n) => spool.append(n)));
    expect(disk.syncs).toBeLessThan(5);
    expect(disk.rows().length).toBe(100);
  });

  it.each(['append', 'sync', 'create'] as const)(
    'says so when the disk fails at %s, condemns the file, and goes on in a new one',
    async (how) => {
      const disk = new ForgetfulDisk();
      const spool = open(disk);
      if (how !== 'create') await spool.append(1);
      disk.failing = how;
      await expect(spool.append(2)).rejects.toBeInstanceOf(SpoolFailed);
      disk.failing = null;
      await spool.append(3);
      const names = await disk.list();
      expect(names.length).toBe(how === 'create' ? 1 : 2);
      expect(decodeRecords(await disk.read(names.at(-1)!)).payloads).toEqual(['3']);
    },
  );

  it('leaves no empty files on a full disk, asks it now and then, and goes on when there is room', async () => {
    const disk = new ForgetfulDisk();
    let now = 0;
    let asked = 0;
    const create = disk.create;
    disk.create = (name) => {
      asked += 1;
      return create(name);
    };
    const spool = new Spool<number>(
      disk,
      'rows',
      'me',
      String,
      () => false,
      () => now,
    );
    disk.failing = 'append';
    for (let n = 0; n < 1000; n++) {
      await expect(spool.append(n)).rejects.toBeInstanceOf(SpoolFailed);
      now += 1;
    }
    expect(await disk.list()).toEqual([]);
    expect(asked).toBeLessThan(5);
    disk.failing = null;
    now += 1000;
    await spool.append(1);
    expect(disk.rows()).toEqual([1]);
  });

  it('ends a file for loading without losing a row that is being written', async () => {
    const disk = new ForgetfulDisk();
    const spool = open(disk);
    const loaded: number[] = [];
    const load = async (): Promise<void> => {
      for (const name of await spool.rotate()) {
        loaded.push(...decodeRecords(await disk.read(name)).payloads.map(Number));
        await disk.remove(name);
      }
    };
    const appends: Promise<void>[] = [];
    for (let n = 0; n < 200; n++) {
      appends.push(spool.append(n));
      if (n % 7 === 0) await Promise.resolve();
      if (n % 20 === 0) await load();
    }
    await Promise.all(appends);
    await load();
    expect(loaded.sort((a, b) => a - b)).toEqual(Array.from({ length: 200 }, (_, n) => n));
  });

  it('adopts files of dead instances, leaves those of living ones and of other kinds', async () => {
    const disk = new ForgetfulDisk();
    await open(disk, '10.77').append(1);
    await open(disk, '11.88').append(2);
    await new Spool<number>(disk, 'others', '10.77', String, () => false).append(3);
    const names = await open(disk, '12.99', ['11.88']).rotate();
    expect(names).toEqual(['rows-10.77-000001.spool']);
  });
});
