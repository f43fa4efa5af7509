import { mkdtempSync, readFileSync, rmSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, it } from '@jest/globals';
import { readGround, saltsAt, saltsByDay, writeGround, type KeptGround } from './keptGround.ts';

let folder: string;
beforeEach(() => void (folder = mkdtempSync(join(tmpdir(), 'tracheon-ground-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const NOON = Date.UTC(2026, 10, 25, 12);
const ground: KeptGround = {
  raw: {
    version: 7,
    desks: [],
    networks: [],
    landingPages: [],
    oldKeys: [],
    domains: [],
    sources: [],
    offers: [],
    campaigns: [],
  },
  salts: { '2026-11-25': 'aa'.repeat(32), '2026-11-24': 'bb'.repeat(32) },
};
const file = (): string => join(folder, 'ground.snapshot');

it('reads what was written, and only its owner may', async () => {
  await writeGround(folder, ground);
  expect(await readGround(folder)).toEqual(ground);
  expect(statSync(file()).mode & 0o777).toBe(0o600);
});

it('the second one replaces the first', async () => {
  await writeGround(folder, ground);
  await writeGround(folder, { ...ground, raw: { ...ground.raw, version: 8 } });
  expect((await readGround(folder))?.raw.version).toBe(8);
});

it('is none where there is none, or where it is torn, altered, or of another version', async () => {
  expect(await readGround(folder)).toBeNull();
  await writeGround(folder, ground);
  const whole = readFileSync(file(), 'utf8');
  for (const bad of [
    whole.replace('"version":7', '"version":9'),
    whole.replace(/tracheon-ground \d+/, 'tracheon-ground 1'),
    whole.replace(/\n.*/s, ''),
    '',
  ]) {
    writeFileSync(file(), bad);
    expect(await readGround(folder)).toBeNull();
  }
  writeFileSync(file(), whole);
  truncateSync(file(), whole.length - 1);
  expect(await readGround(folder)).toBeNull();
});

it('salts are those of their days; a day without one gets a new one', () => {
  const salts = saltsAt(NOON, ground.salts);
  expect(salts.today.toString('hex')).toBe('aa'.repeat(32));
  expect(saltsByDay(NOON, salts)).toEqual(ground.salts);
  const tomorrow = saltsAt(NOON + 86_400_000, ground.salts);
  expect(tomorrow.yesterday).toEqual(salts.today);
  expect(tomorrow.today).toHaveLength(32);
  expect(tomorrow.today).not.toEqual(salts.today);
});
