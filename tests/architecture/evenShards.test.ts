/** A file that no process takes would not be run, and nobody would miss it. */
import { readdirSync } from 'node:fs';
import { expect, it } from '@jest/globals';
import EvenShards, { SECONDS } from '../runner/evenShards.mjs';

const files = readdirSync('tests/integration')
  .filter((name) => name.endsWith('.test.ts'))
  .map((name) => ({ path: `/somewhere/tests/integration/${name}` }));

it.each([1, 2, 3, 5])('each file is run by one of %i processes', (shardCount) => {
  const shards = Array.from({ length: shardCount }, (_, i) =>
    new EvenShards().shard(files, { shardIndex: i + 1, shardCount }),
  );
  const all = shards.flat().map((file) => file.path);
  expect(all.sort()).toEqual(files.map((file) => file.path).sort());
  expect(shards.every((shard) => shard.length > 0)).toBe(true);
});

it('the files that take long are there', () => {
  const names = files.map(({ path }) => path.replace(/^.*\/(\w+)\.test\.ts$/, '$1'));
  expect(Object.keys(SECONDS).filter((name) => !names.includes(name))).toEqual([]);
});
