import { expect, it } from '@jest/globals';
import fc from 'fast-check';
import type { Figures, PartRecord } from '@tracheon/core/contract';
import { figures, noVisits } from '@tracheon/core/metrics';
import { chosenParts, groupRows, ungrouped, type CampaignRow } from './groupRows.ts';

const of = (visits: number): Figures =>
  figures(
    { visits: { ...noVisits, visits, spent: BigInt(visits) }, conversions: [], unconverted: [] },
    () => ({
      basis: '',
      approved: 0,
      decided: 0,
    }),
  );
const row = (id: string, tags: string[], visits: number | null): CampaignRow => ({
  id,
  part: { id, body: { name: `Campaign ${id}`, tags } } as unknown as PartRecord<'campaign'>,
  figures: visits === null ? null : of(visits),
  verdict: null,
  trend: [],
});
const tagsOf = (p: PartRecord<'campaign'>): string[] => p.body.tags;
const byVisits = { value: (r: { figures: Figures | null }) => r.figures?.visits ?? -1, isDescending: true };
const rows = [
  row('a', ['kites'], 3),
  row('b', ['kites', 'test'], 9),
  row('c', [], 20),
  row('d', ['test'], null),
];

it('each group has its sums and its campaigns in the same order; none is under a name of its own', () => {
  const listed = groupRows(rows, tagsOf, 'No tag', byVisits, new Set());
  expect(listed.map((r) => [r.kind, r.name, r.count, r.figures?.visits ?? null])).toEqual([
    ['group', 'No tag', 1, 20],
    ['campaign', 'Campaign c', 1, 20],
    ['group', 'kites', 2, 12],
    ['campaign', 'Campaign b', 1, 9],
    ['campaign', 'Campaign a', 1, 3],
    ['group', 'test', 2, 9],
    ['campaign', 'Campaign b', 1, 9],
    ['campaign', 'Campaign d', 1, null],
  ]);
  expect(new Set(listed.map((r) => r.key)).size).toBe(listed.length);
  const closed = groupRows(rows, tagsOf, 'No tag', byVisits, new Set(['group\nkites']));
  expect(closed.map((r) => r.name)).not.toContain('Campaign a');
});

it('a group that is chosen chooses its campaigns, each once', () => {
  const chosen = (...keys: string[]) => chosenParts(rows, tagsOf, 'No tag', keys).map((p) => p.id);
  expect(chosen('group\nkites', 'test\nb')).toEqual(['a', 'b']);
  expect(chosen('group\nNo tag', 'test\nd')).toEqual(['c', 'd']);
  expect(
    chosenParts(
      rows,
      null,
      '',
      ungrouped(rows).map((r) => r.key),
    ).map((p) => p.id),
  ).toEqual(['a', 'b', 'c', 'd']);
});

it('whatever the groups are, every campaign is in at least one', () => {
  fc.assert(
    fc.property(fc.array(fc.uniqueArray(fc.constantFrom('x', 'y', 'z')), { maxLength: 8 }), (tags) => {
      const some = tags.map((t, i) => row(String(i), t, i));
      const listed = groupRows(some, tagsOf, '–', byVisits, new Set());
      const found = new Set(listed.flatMap((r) => r.part?.id ?? []));
      expect(found.size).toBe(some.length);
      expect(listed.filter((r) => r.kind === 'group').reduce((n, r) => n + r.count, 0)).toBe(
        listed.filter((r) => r.kind === 'campaign').length,
      );
    }),
  );
});
