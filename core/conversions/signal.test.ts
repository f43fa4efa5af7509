import { describe, expect, it } from '@jest/globals';
import { networkInput, type NetworkInput } from '../contract/index.ts';
import { parseQuery } from '../links/index.ts';
import { readPostback } from './signal.ts';

const ID = '01KAXR7QJ4ZZZZZZZZZZZZZZZZ';
const types = [
  { id: 'E1', word: 'sale', repeats: false },
  { id: 'E2', word: 'signup', repeats: false },
];
const network = (over: Partial<NetworkInput> = {}): NetworkInput => ({
  ...networkInput.parse({
    name: 'Larkspur',
    clickIdParameter: 'aff_ref',
    macroStyle: '#x#',
    fields: { click_id: { macro: '#ref#', parameter: 'ref' }, payout: { macro: '#amt#' } },
    statusWords: [
      { word: 'OK', means: 'approved' },
      { word: 'test', means: 'ignore' },
    ],
    eventWords: [{ word: 'lead', eventTypeId: 'E2' }],
  }),
  ...over,
});
const read = (query: string, over: Partial<NetworkInput> = {}) =>
  readPostback(parseQuery(query), network(over), types);
const reading = (query: string, over: Partial<NetworkInput> = {}) => {
  const r = read(query, over);
  if (!r.ok) throw new Error(r.reason);
  return r.reading;
};
const reason = (query: string, over: Partial<NetworkInput> = {}): string => {
  const r = read(query, over);
  return r.ok ? 'ok' : `${r.outcome}:${r.reason}`;
};

describe('a call', () => {
  it('is read by the network’s names', () => {
    const r = reading(
      `ref=${ID.toLowerCase()}&payout=12.50&currency=eur&event=lead&status=ok&transaction=T%2B1&x_brand=B+O`,
    );
    expect(r).toMatchObject({
      clickId: ID,
      payout: 12_500_000n,
      currency: 'EUR',
      eventTypeId: 'E2',
      status: 'approved',
      transaction: 'T+1',
      extras: { brand: 'B O' },
    });
  });
  it('keeps a plus sign in a transaction', () =>
    expect(reading(`ref=${ID}&transaction=a+b`).transaction).toBe('a+b'));
  it('takes aliases where the own name is missing', () => {
    const r = reading(`ref=${ID}&amount=3&txn=x&time=2026-11-20T10:00:00Z`);
    expect([r.payout, r.transaction, r.conversionTime]).toEqual([
      3_000_000n,
      'x',
      Date.UTC(2026, 10, 20, 10),
    ]);
  });
  it.each([
    ['2026-11-20T10:00:00Z', Date.UTC(2026, 10, 20, 10)],
    ['2026-11-20T10:00:00%2B02:00', Date.UTC(2026, 10, 20, 8)],
    ['2026-11-20 10:00:00', Date.UTC(2026, 10, 20, 10)],
    ['2026-11-20+10:00:00', Date.UTC(2026, 10, 20, 10)],
    ['2026-11-20T10:00', Date.UTC(2026, 10, 20, 10)],
    ['1763632800', 1_763_632_800_000],
    ['1763632800123', 1_763_632_800_123],
    ['20/11/2026', null],
    ['0', null],
    ['12345', null],
  ])('reads the time %s', (text, ms) => {
    const r = reading(`ref=${ID}&conversion_time=${text}`);
    expect(r.conversionTime).toBe(ms);
    expect(r.notes.includes('unreadable:conversion_time')).toBe(ms === null);
  });
  it('trims the click ID and notes it', () =>
    expect(reading(`ref=%20${ID}%20`).notes).toContain('trimmed:click_id'));
  it('falls back to the defaults', () => {
    expect(reading(`ref=${ID}`)).toMatchObject({
      status: 'approved',
      eventTypeId: 'E1',
      payout: null,
      currency: null,
    });
    expect(reading(`ref=${ID}`, { noStatusMeans: 'pending' }).status).toBe('pending');
  });
  it('takes below zero as a refund, or as an error, as declared', () => {
    expect(reading(`ref=${ID}&payout=-4`)).toMatchObject({ status: 'reversed', payout: 4_000_000n });
    expect(reason(`ref=${ID}&payout=-4`, { negativeMeans: 'error' })).toBe('repair:unreadable_payout');
  });
  it('reads zero as zero and a left-over payout macro as absent', () => {
    expect(reading(`ref=${ID}&payout=0`).payout).toBe(0n);
    expect(reading(`ref=${ID}&payout=%23amt%23`)).toMatchObject({ payout: null });
    expect(reading(`ref=${ID}&payout=%23amt%23`).notes).toContain('unsubstituted:payout');
  });
  it.each([
    ['payout=5', 'repair:no_click_id'],
    ['ref=&payout=5', 'repair:no_click_id'],
    ['ref=%23ref%23', 'repair:click_unsubstituted'],
    ['ref=hello', 'repair:unknown_click'],
    ['ref=%23reff%23', 'repair:click_unsubstituted'],
    [`ref=${ID}&payout=1,234`, 'repair:unreadable_payout'],
    [`ref=${ID}&payout=five`, 'repair:unreadable_payout'],
    [`ref=${ID}&status=maybe`, 'repair:unmapped_status'],
    [`ref=${ID}&event=other`, 'repair:unmapped_event'],
    [`ref=${ID}&currency=euros`, 'repair:unreadable_currency'],
    [`ref=${ID}&status=TEST`, 'ignored:word_says_ignore'],
    ['transaction=T1&payout=5', 'ok'],
  ])('%s → %s', (query, wanted) => expect(reason(query)).toBe(wanted));
});
