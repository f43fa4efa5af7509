import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { contradiction, watchInput, type WatchCondition, type WatchInput } from '../contract/index.ts';
import {
  approvalRates,
  figureNames,
  figures,
  noVisits,
  readFormula,
  type FigureName,
} from '../metrics/index.ts';
import { figuresOfRule, meets, seenOf, type WatchedRow } from './evaluate.ts';
import { seenWords, watchSentence } from './sentence.ts';
import { isQuiet, nextCheck, nextStep, windowAt, type ActGround } from './timing.ts';

const SOURCE = '01M8GACB3J4X3H04QYZZZFJ297';
const watch = (more: Partial<Record<keyof WatchInput, unknown>> = {}): WatchInput =>
  watchInput.parse({
    name: 'Sites that lose',
    subject: 'sub_site',
    sourceId: SOURCE,
    conditions: [
      { figure: 'spentMicros', is: '>=', than: 2, unit: 'payouts' },
      { figure: 'conversions', is: '=', than: 0 },
    ],
    windowHours: 48,
    skipHours: 1,
    everyMinutes: 240,
    act: 'block',
    ...more,
  });
const row = (spent: number, visits: number, more: Partial<WatchedRow['verdict']> = {}): WatchedRow => ({
  figures: figures(
    {
      visits: { ...noVisits, visits, spent: BigInt(Math.round(spent * 1e6)) },
      conversions: [],
      unconverted: [],
    },
    approvalRates([]),
  ),
  events: [],
  verdict: { chance: 0.02, payoutMicros: '10000000', spentPayouts: spent / 10, ...more },
});
const total = row(200, 1000);
const few = (...asked: FigureName[]): WatchedRow['figures'] =>
  figures(
    { visits: noVisits, conversions: [], unconverted: [] },
    approvalRates([]),
    'expected',
    new Set(asked),
  );
const names = { nameOf: () => 'Moorhen Push', currency: 'EUR' };

it('reads as one sentence', () => {
  expect(watchSentence(watch(), names)).toBe(
    'For every site of Moorhen Push in all campaigns, when spent is at least 2 payouts and conversions are exactly 0 over the last 2 days without the newest 1 hour, checked every 4 hours, then ask the members whether to put it on the block list.',
  );
  expect(seenOf(watch(), row(20.5, 7)).map((s) => seenWords(s, names))).toEqual([
    'spent 20.50 EUR',
    'conversions 0',
  ]);
});

describe('a row', () => {
  it('meets all conditions, in payouts and as a share of the total', () => {
    expect([19.99, 20].map((spent) => meets(watch(), row(spent, 10), total))).toEqual([false, true]);
    const share = watch({ conditions: [{ figure: 'visits', is: '>', than: 0.1, unit: 'share' }] });
    expect([100, 101].map((visits) => meets(share, row(30, visits), total))).toEqual([false, true]);
    const unlikely = watch({ conditions: [{ figure: 'chance', is: '<', than: 0.05 }] });
    expect(meets(unlikely, row(30, 10), total)).toBe(true);
    expect(meets(unlikely, row(30, 10, { chance: null }), total)).toBe(false);
  });
  it('is judged and written down by the figures that its rule names, and by no others', () => {
    const ground = {
      visits: { ...noVisits, visits: 40, spent: 30_000_000n },
      conversions: [],
      unconverted: [],
    };
    const read = readFormula('(earned - spent) / unique');
    const own = new Map(read.ok ? [[SOURCE, read.formula]] : []);
    const event = `event_${SOURCE}_rate`;
    const anyFigure = fc.constantFrom(...figureNames, 'chance', event, `own_${SOURCE}`);
    fc.assert(
      fc.property(
        fc.array(anyFigure, { minLength: 1, maxLength: 5 }),
        fc.double({ noNaN: true }),
        (asked, than) => {
          const conditions = asked.map(
            (figure) => ({ figure, is: '>=', than, unit: 'own' }) as WatchCondition,
          );
          const rule = { match: 'any', conditions, isGuarded: false } as const;
          const few = figures(ground, approvalRates([]), 'expected', figuresOfRule(rule, own));
          const all = figures(ground, approvalRates([]));
          const of = (f: typeof all): WatchedRow => ({ ...row(30, 40), figures: f });
          expect(meets(rule, of(few), of(few), own)).toBe(meets(rule, of(all), of(all), own));
          expect(seenOf(rule, of(few), own)).toEqual(seenOf(rule, of(all), own));
        },
      ),
    );
    expect(() => meets(watch(), { ...row(30, 1), figures: few('visits') }, total)).toThrow(
      'was not asked for',
    );
  });
  it('any of some, within all of others', () => {
    const nested = watch({
      conditions: [
        { figure: 'visits', is: '>=', than: 50 },
        {
          match: 'any',
          conditions: [
            { figure: 'spentMicros', is: '>', than: 100 },
            { figure: 'roi', is: '<=', than: -0.5 },
          ],
        },
      ],
    });
    expect(meets(nested, row(20, 50), total)).toBe(true);
    expect(meets(nested, row(20, 49), total)).toBe(false);
  });
  it('is left alone before one payout is spent, unless that is switched off', () => {
    const cheap = { conditions: [{ figure: 'conversions', is: '=', than: 0 }] };
    expect(meets(watch(cheap), row(9.99, 500), total)).toBe(false);
    expect(meets(watch({ ...cheap, isGuarded: false }), row(9.99, 500), total)).toBe(true);
    expect(meets(watch(cheap), { ...row(50, 5), verdict: null }, total)).toBe(false);
  });
  it('meets one of two opposite conditions, never both', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 500 }), fc.integer({ min: 0, max: 500 }), (visits, than) => {
        const of = (is: '<' | '>='): boolean =>
          meets(watch({ conditions: [{ figure: 'visits', is, than }] }), row(50, visits), total);
        expect(of('<')).not.toBe(of('>='));
      }),
    );
  });
});

describe('an input', () => {
  const refused = (more: object): string[] => {
    const read = watchInput.safeParse({ ...watch(), ...more });
    return read.success ? [] : read.error.issues.map((i) => i.path.join('.'));
  };
  it.each<[string, object, string]>([
    [
      'a window shorter than its cadence',
      { windowHours: 4, skipHours: 1, everyMinutes: 240 },
      'everyMinutes',
    ],
    ['a window without any time', { windowHours: 4, skipHours: 4, everyMinutes: 5 }, 'skipHours'],
    ['a block list of no source', { sourceId: '' }, 'sourceId'],
    ['a sub-ID that is paused', { act: 'pause' }, 'act'],
    ['a campaign that is blocked', { subject: 'campaign_id' }, 'act'],
    [
      'conditions that contradict each other',
      {
        conditions: [
          { figure: 'visits', is: '>', than: 10, unit: 'own' },
          { figure: 'visits', is: '<=', than: 10, unit: 'own' },
        ],
      },
      'conditions',
    ],
    ['no condition', { conditions: [] }, 'conditions'],
    [
      'payouts of a count',
      { conditions: [{ figure: 'visits', is: '>', than: 1, unit: 'payouts' }] },
      'conditions.0',
    ],
    ['a subject that is nothing', { subject: 'country' }, 'subject'],
  ])('refuses %s', (_, more, path) => expect(refused(more).join(' ')).toContain(path));
  it('is refused for a contradiction only where no number is between', () => {
    fc.assert(
      fc.property(fc.integer(), fc.integer(), (low, high) => {
        const of = (is: '>=' | '<=', than: number): WatchCondition => ({
          figure: 'visits',
          is,
          than,
          unit: 'own',
        });
        expect(contradiction([of('>=', low), of('<=', high)]) !== undefined).toBe(low > high);
      }),
    );
  });
});

describe('time', () => {
  it('looks back from the check, without the newest hours', () => {
    const at = Date.parse('2026-11-25T12:00:00Z');
    const { fromMs, toMs } = windowAt(watch(), at);
    expect([fromMs, toMs].map((ms) => new Date(ms).toISOString())).toEqual([
      '2026-11-23T12:00:00.000Z',
      '2026-11-25T11:00:00.000Z',
    ]);
  });
  it('makes up for missed checks by one, and falls into step again', () => {
    const last = Date.parse('2026-11-25T12:00:00Z');
    const next = (everyMinutes: number, now: string): string =>
      new Date(nextCheck(last, { everyMinutes }, Date.parse(now))).toISOString();
    expect(next(60, '2026-11-25T12:00:20Z')).toBe('2026-11-25T13:00:00.000Z');
    expect(next(60, '2026-11-25T12:59:59Z')).toBe('2026-11-25T13:00:00.000Z');
    expect(next(60, '2026-11-27T05:30:00Z')).toBe('2026-11-27T06:00:00.000Z');
    // A clock that was set back makes no check later than one turn from the last.
    expect(next(60, '2026-11-25T10:00:00Z')).toBe('2026-11-25T13:00:00.000Z');
  });
  it('is always after now, and never more than one turn after it unless the clock was set back', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 5, max: 1440 }),
        fc.integer({ min: 0, max: 1e10 }),
        (everyMinutes, after) => {
          const next = nextCheck(1e12, { everyMinutes }, 1e12 + after);
          expect(next > 1e12 + after && next <= 1e12 + after + everyMinutes * 60_000).toBe(true);
        },
      ),
    );
  });
  it.each<[number, number, string, boolean]>([
    [22, 7, '2026-11-25T21:30:00Z', true],
    [22, 7, '2026-11-25T06:30:00Z', false],
    [22, 7, '2026-11-25T05:59:00Z', true],
    [9, 17, '2026-11-25T08:00:00Z', true],
    [9, 17, '2026-11-25T16:00:00Z', false],
    [0, 0, '2026-11-25T00:00:00Z', false],
  ])('from %i to %i, %s is quiet: %s', (quietFrom, quietTo, at, quiet) =>
    expect(isQuiet({ quietFrom, quietTo }, Date.parse(at), 'Europe/Brussels')).toBe(quiet),
  );
});

describe('a finding', () => {
  const calm: ActGround = { isQuiet: false, actsToday: 0, lastEndedMs: null, doubt: '' };
  const now = Date.parse('2026-11-25T12:00:00Z');
  const acts = watch({ asks: false });
  it.each<[string, WatchInput, Partial<ActGround>, string]>([
    ['is only told', watch({ act: 'notify' }), {}, 'none'],
    ['is asked about', watch(), {}, 'ask'],
    ['is acted on', acts, {}, 'act'],
    ['is asked about while something is in doubt', acts, { doubt: 'A feed is late.' }, 'ask'],
    ['waits for the end of quiet hours', acts, { isQuiet: true }, 'put_off'],
    ['waits for the next day', acts, { actsToday: 20 }, 'put_off'],
    ['waits after an earlier one', acts, { lastEndedMs: now - 23 * 3_600_000 }, 'put_off'],
    ['does not wait for ever', acts, { lastEndedMs: now - 24 * 3_600_000 }, 'act'],
  ])('%s', (_, of, more, step) => expect(nextStep(of, { ...calm, ...more }, now).step).toBe(step));
});
