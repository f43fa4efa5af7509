import { mkdtempSync, readFileSync, rmSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, it } from '@jest/globals';
import type { DeskConfiguration } from './compiled.ts';
import { keepDesk, keepSalts, readGround } from './keptGround.ts';

let folder: string;
beforeEach(() => void (folder = mkdtempSync(join(tmpdir(), 'tracheon-ground-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const desk = (deskId: string, version = 7): DeskConfiguration => ({
  deskId,
  version,
  zone: 'UTC',
  fallbackUrl: '',
  parts: [],
  domains: [],
  oldKeys: [],
});
const salts = { '2026-11-25': 'aa'.repeat(32), '2026-11-24': 'bb'.repeat(32) };
const file = (deskId: string): string => join(folder, 'ground', `desk-${deskId}.snapshot`);

it('reads what was written, each desk by itself, and only its owner may', async () => {
  await keepDesk(folder, desk('A'));
  await keepDesk(folder, desk('B'));
  await keepSalts(folder, salts);
  expect(await readGround(folder)).toEqual({ desks: [desk('A'), desk('B')], salts });
  expect(statSync(file('A')).mode & 0o777).toBe(0o600);
});

it('the second one of a desk replaces the first', async () => {
  await keepDesk(folder, desk('A'));
  await keepDesk(folder, desk('A', 8));
  expect((await readGround(folder))?.desks).toEqual([desk('A', 8)]);
});

it('a desk is left out where it is torn, altered, or of another version; none at all is none', async () => {
  expect(await readGround(folder)).toBeNull();
  await keepDesk(folder, desk('A'));
  await keepDesk(folder, desk('B'));
  const whole = readFileSync(file('A'), 'utf8');
  const left = async (): Promise<string[] | undefined> =>
    (await readGround(folder))?.desks.map((d) => d.deskId);
  for (const bad of [
    whole.replace('"version":7', '"version":9'),
    whole.replace(/tracheon-ground \d+/, 'tracheon-ground 1'),
    whole.replace(/\n.*/s, ''),
    '',
  ]) {
    writeFileSync(file('A'), bad);
    expect(await left()).toEqual(['B']);
  }
  writeFileSync(file('A'), whole);
  truncateSync(file('A'), whole.length - 1);
  expect(await left()).toEqual(['B']);
  rmSync(file('B'));
  expect(await readGround(folder)).toBeNull();
});
