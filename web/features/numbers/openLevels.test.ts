import { expect, it } from '@jest/globals';
import type { Figures } from '@tracheon/core/contract';
import { closed, flat, keyOf, type Level } from './openLevels.ts';

const level = (names: string[], count = names.length): Level => ({
  rows: names.map((n) => ({
    values: [n],
    names: [n.toUpperCase()],
    figures: {} as Figures,
    events: [],
    before: null,
    verdict: null,
  })),
  count,
  rest: null,
});
const open = new Map([
  [keyOf(['a']), level(['x', 'y'], 7)],
  [keyOf(['a', 'x']), level(['1'])],
  [keyOf(['b']), level([])],
]);
const read = (top: Level | null, of = open) =>
  flat(top, of).map((r) => `${'  '.repeat(r.level)}${r.more > 0 ? `+${r.more}` : r.name}`);

it('reads what is open below its row, and says how many more there are', () => {
  expect(read(level(['a', 'b'], 3))).toEqual(['A', '  X', '    1', '  Y', '  +5', 'B', '+1']);
  expect(read(null)).toEqual([]);
  const keys = flat(level(['a', 'b'], 3), open).map((r) => r.key);
  expect(new Set(keys).size).toBe(keys.length);
});

it('shows the figures of what filters leave out below the others', () => {
  const rest = { visits: 3 } as Figures;
  const [last] = flat({ ...level(['a']), rest }, new Map()).slice(-1);
  expect(last).toMatchObject({ kind: 'rest', more: 0, figures: rest, name: '' });
  expect(flat({ rows: [], count: 0, rest }, new Map())).toEqual([]);
});

it('closes a row with all that is open below it, and nothing else', () => {
  expect([...closed(open, ['a']).keys()]).toEqual([keyOf(['b'])]);
  expect([...closed(open, ['a', 'x']).keys()]).toEqual([keyOf(['a']), keyOf(['b'])]);
  expect(closed(open, ['ab']).size).toBe(3);
});
