import { expect, it } from '@jest/globals';
import fc from 'fast-check';
import type { Condition, ConditionLeaf, Routing } from '../contract/index.ts';
import { unknownVisit } from '../visits/index.ts';
import { holds } from '../conditions/index.ts';
import { conditionWords, implies, routingFindings, sharesOf } from './index.ts';

const is = (on: string, ...values: string[]): ConditionLeaf => ({ on, op: 'is', values, zone: '' });
const pairing = (id: string, weight = 1, isOn = true) => ({
  id,
  landingPageId: '',
  offerIds: ['O'],
  weight,
  isOn,
  from: '',
  to: '',
});
const branch = (id: string, when: Condition, ...pairings: ReturnType<typeof pairing>[]) => ({
  id,
  name: id,
  when,
  split: 'weights' as const,
  pairings: pairings.length > 0 ? pairings : [pairing(`${id}-p`)],
});
const routing = (...branches: ReturnType<typeof branch>[]): Routing => ({
  branches,
  otherwise: { split: 'weights', pairings: [pairing('o')] },
});
const records = {
  countriesOf: () => [],
  eventTypesOf: () => [],
  leadsBack: () => false,
  subs: ['site', 'zone', 'title'],
  buttonsOf: () => 2,
};
const codes = (r: Routing, countries: string[] = []) =>
  routingFindings(r, { ...records, countriesOf: () => countries }).map((f) => [f.code, f.branchId]);

it('a branch behind one that takes all of its visitors is never reached', () => {
  const wide = branch('wide', { all: [is('country', 'BE', 'NL'), is('device', 'phone')] });
  const narrow = branch('narrow', {
    all: [is('country', 'BE'), is('device', 'phone'), is('hour', '20', '21')],
  });
  expect(codes(routing(wide, narrow))).toEqual([['shadowed', 'narrow']]);
  expect(codes(routing(narrow, wide))).toEqual([]);
  // One that is still being typed is no finding yet.
  expect(codes(routing(branch('a', is('os')), branch('b', is('os'))))).toEqual([]);
  expect(routingFindings(routing(wide, narrow), records)[0]!.sentence).toContain('branch 1 already takes');
});
it('conditions that exclude each other, splits without weight, offers that do not sell there', () => {
  expect(codes(routing(branch('b', { all: [is('country', 'BE'), is('country', 'NL')] })))).toEqual([
    ['contradiction', 'b'],
  ]);
  expect(codes(routing(branch('b', is('country', 'BE'), pairing('x', 0), pairing('y', 5, false))))).toEqual([
    ['no_weight', 'b'],
  ]);
  expect(codes(routing(branch('b', is('country', 'BE', 'JP'))), ['BE', 'NL'])).toEqual([
    ['country_closed', 'b'],
  ]);
});

it('what is said to imply never lets a visitor through that the other does not', () => {
  const leaf = fc.record({
    on: fc.constantFrom('country', 'device'),
    op: fc.constantFrom('is' as const, 'contains' as const),
    values: fc.uniqueArray(fc.constantFrom('a', 'b', 'ab'), { minLength: 1, maxLength: 3 }),
    zone: fc.constant(''),
  });
  const list = fc.array(leaf, { minLength: 1, maxLength: 3 });
  const tree: fc.Arbitrary<Condition> = fc.oneof(
    leaf,
    list.map((all) => ({ all })),
    list.map((any) => ({ any })),
  );
  let implied = 0;
  fc.assert(
    fc.property(
      tree,
      tree,
      fc.constantFrom('', 'a', 'b', 'ab'),
      fc.constantFrom('', 'a', 'b', 'ab'),
      (n, w, country, device) => {
        if (!implies(n, w)) return;
        implied += 1;
        const visitor = { visit: { ...unknownVisit, country, device }, address: '', nowMs: 0 };
        if (holds(n, visitor, 'UTC')) expect(holds(w, visitor, 'UTC')).toBe(true);
      },
    ),
    { numRuns: 5000 },
  );
  expect(implied).toBeGreaterThan(100);
});

it('conditions read like sentences', () => {
  const name = (field: string, value: string): string =>
    field === 'country' ? { BE: 'Belgium', NL: 'Netherlands' }[value]! : value;
  expect(
    conditionWords(
      { all: [is('country', 'BE', 'NL'), { not: is('device', 'phone') }, is('is_unique', 'yes')] },
      name,
    ),
  ).toBe('country is Belgium or Netherlands and device is not phone and visitor is unique');
  expect(
    conditionWords(
      { any: [is('sub_site', 'a', 'b', 'c', 'd', 'e', 'f'), { all: [is('hour', '9'), is('os', '')] }] },
      name,
    ),
  ).toBe('site is a or b or c or d or 2 more or (hour is 9 and operating system is unknown)');
  expect(conditionWords({ not: is('is_unique', 'yes') }, name)).toBe('visitor is returning');
});

it('shares add up to a hundred, or are none', () => {
  expect(
    sharesOf({ split: 'weights', pairings: [pairing('a', 1), pairing('b', 3), pairing('c', 9, false)] }),
  ).toEqual([25, 75, 0]);
  expect(sharesOf({ split: 'even', pairings: [pairing('a', 1), pairing('b', 3)] })).toEqual([50, 50]);
  expect(sharesOf({ split: 'weights', pairings: [pairing('a', 0)] })).toEqual([0]);
});

it('offers without a button, and buttons without an offer of their own, are said', () => {
  const ofPage = (...offerIds: string[]) => ({ ...pairing('p'), landingPageId: 'page', offerIds });
  const found = (...offerIds: string[]): string[] =>
    routingFindings(routing(branch('b', is('country', 'BE'), ofPage(...offerIds))), {
      ...records,
      buttonsOf: () => 3,
    }).map((f) => `${f.code} ${f.pairingId} ${f.sentence}`);
  expect(found('A')).toEqual([]);
  expect(found('A', 'B', 'C')).toEqual([]);
  expect(found('A', 'B')).toEqual([
    'buttons p Button 3 has no offer of its own, so it leads to the first open offer.',
  ]);
  expect(found('A', 'B', 'C', 'D')).toEqual([
    'buttons p The page has 3 buttons, so no button leads to offer 4.',
  ]);
});

it('a way back into the desk’s own links, and an automatic split over offers that pay for other things, are said', () => {
  const of = (split: 'automatic' | 'even', events: Record<string, string[]>) =>
    routingFindings(
      {
        branches: [],
        otherwise: { split, pairings: ['A', 'B'].map((id) => ({ ...pairing(id), offerIds: [id] })) },
      },
      { ...records, eventTypesOf: (id) => events[id] ?? [] },
    ).map((f) => f.code);
  expect(of('automatic', { A: ['sale'], B: ['signup'] })).toEqual(['unlike_events']);
  expect(of('automatic', { A: ['sale', 'signup'], B: ['signup', 'sale', 'sale'] })).toEqual([]);
  // What an offer pays for is not known: nothing is certain.
  expect(of('automatic', { A: ['sale'] })).toEqual([]);
  expect(of('even', { A: ['sale'], B: ['signup'] })).toEqual([]);
  const back = { ...pairing('p'), landingPageId: 'page', offerIds: ['O', 'O2'] };
  const loops = (...own: string[]): string[] =>
    routingFindings(
      { branches: [], otherwise: { split: 'weights', pairings: [back] } },
      { ...records, leadsBack: (id) => own.includes(id) },
    ).map((f) => `${f.code} ${f.pairingId}`);
  expect([loops(), loops('page'), loops('O2')]).toEqual([[], ['loop p'], ['loop p']]);
});

it('a condition on a sub-ID that the source does not send never holds', () => {
  const known = branch('known', is('sub_site', 'a'));
  const unknown = branch('unknown', { any: [is('country', 'NL'), { not: is('sub_bid_type', 'a') }] });
  expect(codes(routing(known, unknown))).toEqual([['unknown_sub', 'unknown']]);
});

it('what one condition asks for and another excludes whole is for nobody', () => {
  const nobody = branch('n', { all: [is('country', 'NL'), { not: is('country', 'NL', 'BE') }] });
  const somebody = branch('s', { all: [is('country', 'NL', 'DK'), { not: is('country', 'NL') }] });
  expect(codes(routing(nobody))).toEqual([['contradiction', 'n']]);
  expect(codes(routing(somebody))).toEqual([]);
});
