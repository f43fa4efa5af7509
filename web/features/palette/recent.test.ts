import { expect, it } from '@jest/globals';

// The store is read when the module is loaded.
const kept = new Map<string, string>([
  ['tracheon.recent', '[{"words":"x","to":"javascript:1"},{"words":"ok","to":"/desk"}]'],
]);
(globalThis as { localStorage?: unknown }).localStorage = {
  getItem: (k: string) => kept.get(k) ?? null,
  setItem: (k: string, v: string) => kept.set(k, v),
};

it('keeps each place once, the newest first, and takes up nothing that is no place here', async () => {
  const { recent, remember, withNewest } = await import('./recent.ts');
  expect(recent.value).toEqual([{ words: 'ok', to: '/desk' }]);
  remember('A', '/campaigns/a');
  remember('OK again', '/desk');
  expect(recent.value.map((r) => r.words)).toEqual(['OK again', 'A']);
  expect(JSON.parse(kept.get('tracheon.recent')!)).toEqual(recent.value);
  const many = Array.from({ length: 20 }, (_, i) => ({ words: `${i}`, to: `/p${i}` }));
  expect(withNewest(many, { words: 'n', to: '/n' })).toHaveLength(8);
});
