import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import {
  condition,
  leavesOf,
  MAX_CONDITIONS,
  type Condition,
  type ConditionLeaf,
} from '../contract/index.ts';
import {
  conditionFields,
  conditionOps,
  opsOf,
  unknownVisit,
  weekdays,
  type ConditionKind,
} from '../visits/index.ts';
import {
  compileCondition,
  compilePattern,
  compileRanges,
  conditionTroubles,
  holds,
  isVersionAtLeast,
  type RoutingVisitor,
} from './index.ts';

const OFFER = '01M8ZZZZZZ0123456789ABCDEF';
const words = ['', 'BE', 'be', 'NL', 'Gent', 'kiosk-nord', 'Kiosk', 'a'.repeat(300), 'é'];
const valuesOf: Record<ConditionKind, fc.Arbitrary<string>> = {
  text: fc.constantFrom(...words.map((w) => w.slice(0, 256))),
  version: fc.constantFrom('17', '17.4', '17.10', '9'),
  amount: fc.constantFrom('0', '20000', '30000'),
  flag: fc.constantFrom('yes', 'no'),
  record: fc.constantFrom(OFFER, 'S', ''),
  offers: fc.constantFrom(OFFER, 'O2'),
  address: fc.constantFrom('10.0.0.0/8', '192.0.2.7', '2001:db8::/32'),
  hour: fc.integer({ min: 0, max: 23 }).map(String),
  weekday: fc.constantFrom(...weekdays),
};
const patterns = fc.constantFrom('^k', 'nord$', '[0-9]+', '(?i)KIOSK', '.');

const leaf: fc.Arbitrary<ConditionLeaf> = fc
  .constantFrom(...conditionFields.map((f) => [f.name, f.kind] as const), ['sub_site', 'text'] as const)
  .chain(([on, kind]) =>
    fc.constantFrom(...opsOf[kind]).chain((op) => {
      const value =
        op === 'matches'
          ? patterns
          : op === 'contains'
            ? valuesOf[kind].filter((v) => v !== '')
            : valuesOf[kind];
      const most = op === 'at_least' || op === 'below' ? 1 : 3;
      return fc.record({
        on: fc.constant(on),
        op: fc.constant(op),
        values: fc.array(value, { minLength: 1, maxLength: most }),
        zone: fc.constantFrom('', 'Asia/Kathmandu'),
      });
    }),
  );
const tree = fc.letrec<{ node: Condition }>((tie) => {
  const list = fc.array(tie('node'), { minLength: 1, maxLength: 3 });
  return {
    node: fc.oneof(
      { maxDepth: 3, withCrossShrink: true },
      leaf,
      list.map((all) => ({ all })),
      list.map((any) => ({ any })),
      tie('node').map((not) => ({ not })),
    ),
  };
}).node;

const text = fc.constantFrom(...words);
const visitor: fc.Arbitrary<RoutingVisitor> = fc
  .record({
    country: text,
    region: text,
    city: text,
    isp: text,
    connection: text,
    language: text,
    device: text,
    deviceModel: text,
    os: text,
    osVersion: fc.constantFrom('', '17', '17.4.1', '10_15', 'XP'),
    browser: text,
    browserVersion: fc.constantFrom('', '17', '142'),
    referrerHost: text,
    sourceId: fc.constantFrom('S', 'T'),
    isUnique: fc.boolean(),
    costMicros: fc.constantFrom(null, 0n, 20_000n, 25_000n),
    site: fc.option(text),
    hasConverted: fc.boolean(),
    seen: fc.option(fc.subarray([OFFER, 'O2', 'O3'])),
    address: fc.constantFrom(
      '10.1.2.3',
      '192.0.2.7',
      '192.0.2.8',
      '2001:db8::1',
      '::ffff:10.0.0.1',
      'nonsense',
    ),
    nowMs: fc.integer({ min: Date.UTC(2026, 0), max: Date.UTC(2027, 0) }),
  })
  .map(({ site, hasConverted, seen, address, nowMs, ...visit }) => ({
    visit: { ...unknownVisit, ...visit, subs: (site === null ? {} : { site }) as Record<string, string> },
    address,
    nowMs,
    // Without a cookie there is none.
    ...(seen === null ? {} : { history: () => ({ hasConverted, offerIds: new Set(seen) }) }),
  }));

describe('a condition', () => {
  it('compiled agrees with the plain evaluator on every condition and visitor', () => {
    let held = 0;
    let asked = 0;
    const kinds = new Set<string>();
    fc.assert(
      fc.property(tree, fc.array(visitor, { minLength: 1, maxLength: 4 }), (c, visitors) => {
        expect(condition.safeParse(c).error?.issues ?? []).toEqual([]);
        const compiled = compileCondition(c, 'Europe/Brussels');
        for (const l of leavesOf(c)) kinds.add(`${l.on} ${l.op}`);
        for (const v of visitors) {
          const wanted = holds(c, v, 'Europe/Brussels');
          expect(compiled(v)).toBe(wanted);
          asked += 1;
          held += wanted ? 1 : 0;
        }
      }),
      { numRuns: 1000 },
    );
    // Neither all nor none of them held, and every comparison of every field came up.
    expect(held).toBeGreaterThan(asked / 20);
    expect(held).toBeLessThan((asked * 19) / 20);
    const all = [...conditionFields, { name: 'sub_site', kind: 'text' as const }].flatMap((f) =>
      opsOf[f.kind].map((op) => `${f.name} ${op}`),
    );
    expect([...kinds].sort()).toEqual(all.sort());
  });

  const someone = (visit: object, more: Partial<RoutingVisitor> = {}): RoutingVisitor => ({
    visit: { ...unknownVisit, ...visit },
    address: '192.0.2.7',
    nowMs: Date.UTC(2026, 10, 26, 12),
    ...more,
  });
  const is = (on: string, op: ConditionLeaf['op'], ...values: string[]): ConditionLeaf => ({
    on,
    op,
    values,
    zone: '',
  });
  const ask = (c: Condition, v: RoutingVisitor): boolean => {
    const plain = holds(c, v, 'Europe/Brussels');
    expect(compileCondition(c, 'Europe/Brussels')(v)).toBe(plain);
    return plain;
  };
  it('takes what is not known for a value of its own', () => {
    expect(ask(is('country', 'is', ''), someone({}))).toBe(true);
    expect(ask(is('country', 'is', '', 'BE'), someone({ country: 'NL' }))).toBe(false);
    expect(ask({ not: is('os_version', 'at_least', '17') }, someone({}))).toBe(true);
    expect(ask(is('os_version', 'below', '17'), someone({}))).toBe(false);
    expect(ask(is('cost_micros', 'below', '1'), someone({}))).toBe(false);
  });
  it('compares sub-IDs by case, everything else without, and cuts long values first', () => {
    expect(ask(is('sub_site', 'is', 'kiosk'), someone({ subs: { site: 'Kiosk' } }))).toBe(false);
    expect(ask(is('browser', 'is', 'SAFARI'), someone({ browser: 'Safari' }))).toBe(true);
    const long = `${'a'.repeat(256)}b`;
    expect(ask(is('sub_site', 'contains', 'b'), someone({ subs: { site: long } }))).toBe(false);
    expect(ask(is('sub_site', 'is', 'a'.repeat(256)), someone({ subs: { site: long } }))).toBe(true);
    // A name that every object has is no sub-ID.
    expect(ask(is('sub_constructor', 'is', ''), someone({ subs: {} }))).toBe(true);
  });
  it('knows hours and weekdays in the condition’s zone, else the desk’s', () => {
    expect(ask(is('hour', 'is', '13'), someone({}))).toBe(true);
    expect(ask({ ...is('hour', 'is', '17'), zone: 'Asia/Kathmandu' }, someone({}))).toBe(true);
    expect(ask(is('weekday', 'is', 'thu'), someone({}))).toBe(true);
  });
  it('is refused with what is wrong and where', () => {
    const problems = (c: unknown): string[] =>
      (condition.safeParse(c).error?.issues ?? []).map((i) => `${i.path.join('.')}: ${i.message}`);
    expect(problems({ all: [is('weather', 'is', 'rain')] })).toEqual([
      'all.0.values: A condition can’t ask for “weather”.',
    ]);
    expect(problems({ any: [{ not: is('hour', 'is', '24') }] })).toEqual([
      'any.0.not.values: “24” is not an hour from 0 to 23.',
    ]);
    expect(problems(is('country', 'at_least', 'BE'))[0]).toContain('can’t be compared');
    expect(problems(is('country', 'contains', ''))[0]).toContain('is empty');
    expect(problems(is('os_version', 'at_least', 'new'))[0]).toContain('not a version');
    const deep = Array.from({ length: 7 }).reduce<Condition>((c) => ({ not: c }), is('country', 'is', 'BE'));
    expect(problems(deep)[0]).toContain('levels deep');
    const wide = {
      all: Array.from({ length: 11 }, () => ({
        any: Array.from({ length: 10 }, () => is('country', 'is', 'BE')),
      })),
    };
    expect(leavesOf(wide).length).toBeGreaterThan(MAX_CONDITIONS);
    expect(problems(wide)[0]).toContain(`at most ${MAX_CONDITIONS}`);
    expect(problems({ all: [], any: [] }).length).toBeGreaterThan(0);
    expect(conditionOps).toHaveLength(6);
  });
});

it('patterns and ranges that are none are named, with their place', () => {
  const at = (on: string, op: ConditionLeaf['op'], value: string): ConditionLeaf => ({
    on,
    op,
    values: [value],
    zone: '',
  });
  expect(
    conditionTroubles({
      all: [at('sub_site', 'matches', '(a+'), { not: at('address', 'within', '10.0.0.0/40') }],
    }),
  ).toEqual([
    { path: 'all.0.values', message: expect.stringContaining('“(a+” is not a pattern') },
    {
      path: 'all.1.not.values',
      message: expect.stringContaining('“10.0.0.0/40” is neither an IP address nor a range'),
    },
  ]);
  expect(conditionTroubles(at('sub_site', 'matches', '^kiosk'))).toEqual([]);
});

it('versions are compared number by number', () => {
  expect(isVersionAtLeast('17.10', '17.9')).toBe(true);
  expect(isVersionAtLeast('17', '17.0.0')).toBe(true);
  expect(isVersionAtLeast('10_15_7', '10.16')).toBe(false);
  expect(isVersionAtLeast('XP', '5')).toBeNull();
});

it('a pattern takes linear time, also one that would backtrack for ever', () => {
  const matches = compilePattern('^(a+)+$');
  const began = process.cpuUsage();
  for (let i = 0; i < 20; i++) expect(matches(`${'a'.repeat(255)}!`)).toBe(false);
  const { user } = process.cpuUsage(began);
  // Backtracking, the first of these would outlast the universe.
  expect(user).toBeLessThan(10_000_000);
  expect(() => compilePattern('(?=a)')).toThrow();
});

it('ranges hold addresses of their own family, also mapped ones', () => {
  const isWithin = compileRanges(['10.0.0.0/8', '2001:db8::/32', '192.0.2.7']);
  expect(['10.9.8.7', '::ffff:10.1.1.1', '2001:db8:1::1', '192.0.2.7'].map(isWithin)).toEqual([
    true,
    true,
    true,
    true,
  ]);
  expect(['11.0.0.1', '2001:db9::1', '192.0.2.8', '', 'x'].map(isWithin)).toEqual([
    false,
    false,
    false,
    false,
    false,
  ]);
});
