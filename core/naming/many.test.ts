import { expect, it } from '@jest/globals';
import fc from 'fast-check';
import { campaignInput, sourceInput, type PartRecord } from '../contract/index.ts';
import { renameByRule, repeatCampaign } from './index.ts';

const RULE = '{country} · {product} · {source}';
const record = <K extends 'source' | 'campaign'>(kind: K, id: string, body: unknown): PartRecord<K> =>
  ({ id, kind, version: 3, state: 'live', key: id, body, createdAt: '', updatedAt: '' }) as PartRecord<K>;
const moorhen = record(
  'source',
  's1',
  sourceInput.parse({
    name: 'Moorhen Push',
    parameters: [{ parameter: 'bid', macro: '[cost]', role: 'cost' }],
    accounts: [{ name: 'north' }],
    adFormats: ['push'],
  }),
);
const quayside = record('source', 's2', sourceInput.parse({ name: 'Quayside Search' }));
const from = campaignInput.parse({
  name: 'BE · Kites · Moorhen Push',
  sourceId: 's1',
  offerId: 'o',
  costModel: 'link',
  account: 'north',
  adFormat: 'push',
});
const chain = { offer: { name: 'Kitewright kite kit', product: 'Kites', countries: ['BE'] } };

it('makes one for each country and source, named by the rule, with what the other source has', () => {
  const made = repeatCampaign(from, chain, { countries: ['DK', 'JP'], sources: [moorhen, quayside] }, RULE, [
    'dk · kites · moorhen push',
  ]);
  expect(made.map((m) => m.body.name)).toEqual([
    'DK · Kites · Moorhen Push 2',
    'DK · Kites · Quayside Search',
    'JP · Kites · Moorhen Push',
    'JP · Kites · Quayside Search',
  ]);
  expect(made.map((m) => [m.body.account, m.body.adFormat, m.body.costModel])).toEqual([
    ['north', 'push', 'link'],
    ['', '', 'none'],
    ['north', 'push', 'link'],
    ['', '', 'none'],
  ]);
});

it('never gives a name twice, whatever the rule, and never one that is taken', () => {
  fc.assert(
    fc.property(
      fc.constantFrom('{product}', '{source}', RULE, '{network}'),
      fc.uniqueArray(fc.constantFrom('DK', 'JP', 'NL', 'PT')),
      fc.array(fc.constantFrom('Kites', 'kites 2', 'Moorhen Push')),
      (rule, countries, taken) => {
        const names = repeatCampaign(
          from,
          chain,
          { countries, sources: [moorhen, quayside] },
          rule,
          taken,
        ).map((m) => m.body.name.toLowerCase());
        expect(new Set(names).size).toBe(names.length);
        expect(names.filter((n) => taken.some((t) => t.toLowerCase() === n))).toEqual([]);
      },
    ),
  );
});

it('renames what differs from the rule; doing it again changes nothing', () => {
  const campaign = (id: string, name: string) => record('campaign', id, { ...from, name });
  const all = [
    campaign('a', 'old name'),
    campaign('b', 'BE · Kites · Moorhen Push 2'),
    campaign('c', 'stays'),
  ];
  const chainOf = () => ({ ...chain, source: moorhen.body });
  const once = renameByRule(all.slice(0, 2), all, chainOf, RULE);
  expect(once.map((r) => [r.before, r.after])).toEqual([['old name', 'BE · Kites · Moorhen Push']]);
  const after = all.map((c) => {
    const r = once.find((x) => x.id === c.id);
    return r ? campaign(c.id, r.after) : c;
  });
  expect(renameByRule(after.slice(0, 2), after, chainOf, RULE)).toEqual([]);
});
