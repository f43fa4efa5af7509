import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, it } from '@jest/globals';
import { IndexFile } from './indexFile.ts';
import { allUnsettled, forgetUnsettled, noteUnsettled } from './unsettled.ts';

let folder: string;
let index: IndexFile;
const path = (): string => join(folder, 'numbers.duckdb');
const reopen = async (): Promise<void> => {
  index.close();
  index = await IndexFile.open(path());
};
const written = async (): Promise<string | undefined> => (await index.meta()).cursor;
beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'tracheon-index-'));
  index = await IndexFile.open(path());
});
afterEach(() => {
  index.close();
  rmSync(folder, { recursive: true, force: true });
});

it('writes how far it came with what it took in, and goes on from there', async () => {
  expect(index.cursor).toBe(0n);
  await index.takeTo(7n, () => index.setMeta({ taken: 'yes' }));
  await reopen();
  expect(index.cursor).toBe(7n);
  expect((await index.meta()).taken).toBe('yes');
});

it('is where it was when taking in fails', async () => {
  await index.takeTo(7n, () => Promise.resolve());
  const failing = index.takeTo(9n, async () => {
    await index.setMeta({ taken: 'yes' });
    throw new Error('the disk is full');
  });
  await expect(failing).rejects.toThrow('the disk is full');
  expect([index.cursor, await written(), (await index.meta()).taken]).toEqual([7n, '7', undefined]);
});

it('passes over transactions without facts, and writes that down once a minute', async () => {
  await index.takeTo(7n, () => Promise.resolve());
  await index.passTo(8n);
  await index.passTo(9n, Date.now() + 30_000);
  expect([index.cursor, await written()]).toEqual([9n, '7']);
  await index.passTo(10n, Date.now() + 61_000);
  expect([index.cursor, await written()]).toEqual([10n, '10']);
  await index.passTo(11n);
  await reopen();
  // Read again: there was nothing in them.
  expect(index.cursor).toBe(10n);
});

it('finds what is to be settled, also after it was opened again, until it is settled', async () => {
  const one = { deskId: 'd', sourceId: 's', from: 1, to: 2 };
  expect(await allUnsettled(index)).toEqual([]);
  await noteUnsettled(index, [one]);
  expect(await allUnsettled(index)).toEqual([one]);
  await reopen();
  expect(await allUnsettled(index)).toEqual([one]);
  await forgetUnsettled(index, one);
  expect(await allUnsettled(index)).toEqual([]);
  expect(index.hasUnsettled).toBe(false);
  await noteUnsettled(index, [one]);
  expect(await allUnsettled(index)).toEqual([one]);
});

const columnsOf = async (table: string): Promise<string[]> =>
  (await index.rows<{ name: string }>(`SELECT name FROM pragma_table_info('${table}')`))
    .map(({ name }) => name)
    .filter((name) => /^[sx]\d/.test(name));

it('gives all names that are new a column at once, in the order of their numbers, and knows them when opened again', async () => {
  await index.makeRoom('d', { subs: new Set(['site', 'Zone']), extras: new Set(['brand']) });
  const { visits, conversions, extras } = await index.makeRoom('d', {
    subs: new Set(['site', "it's"]),
    extras: new Set(['brand', 'site']),
  });
  expect(await columnsOf(visits)).toEqual(['s1', 's2', 's4']);
  expect(await columnsOf(extras)).toEqual(['s1', 's2', 's4']);
  expect(await columnsOf(conversions)).toEqual(['s1', 's2', 'x3', 's4', 'x5']);
  const named = (): unknown => {
    const { subs, conversionExtras } = index.tablesOf('d')!;
    return [Object.fromEntries(subs), Object.fromEntries(conversionExtras)];
  };
  const all = [
    { site: 's1', Zone: 's2', "it's": 's4' },
    { brand: 'x3', site: 'x5' },
  ];
  expect(named()).toEqual(all);
  await reopen();
  expect(named()).toEqual(all);
});

it('has none of the new columns when one of them cannot be made, and makes them at the next try', async () => {
  const names = { subs: new Set(['site', 'zone']), extras: new Set<string>() };
  const { visits, conversions } = await index.makeRoom('d', { subs: new Set(), extras: new Set() });
  await index.feeding.run(`ALTER TABLE ${conversions} ADD COLUMN s2 VARCHAR`);
  await expect(index.makeRoom('d', names)).rejects.toThrow('s2');
  expect([await columnsOf(visits), index.tablesOf('d')!.subs.size]).toEqual([[], 0]);
  await index.feeding.run(`ALTER TABLE ${conversions} DROP COLUMN s2`);
  await index.makeRoom('d', names);
  expect(await columnsOf(visits)).toEqual(['s1', 's2']);
});

it('knows a desk only once all its tables are made, and makes them at the next try', async () => {
  const none = { subs: new Set<string>(), extras: new Set<string>() };
  await index.feeding.run('CREATE TABLE steps_1 (n BIGINT)');
  await expect(index.makeRoom('d', none)).rejects.toThrow('steps_1');
  expect(index.deskIds).toEqual([]);
  await index.feeding.run('DROP TABLE steps_1');
  const { visits } = await index.makeRoom('d', none);
  expect(await columnsOf(visits)).toEqual([]);
  expect(index.deskIds).toEqual(['d']);
});
