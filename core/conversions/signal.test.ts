import { describe, expect, it } from '@jest/globals';
import { networkInput, type NetworkInput } from '../contract/index.ts';
import { parsePostback } from '../links/index.ts';
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
const ARRIVED = Date.parse('2026-11-25T12:00:00Z');
const read = (query: string, over: Partial<NetworkInput> = {}, body = '', contentType = '') =>
  readPostback(parsePostback(query, body, contentType), network(over), types, ARRIVED);
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
    // It may be one of another tracker that was carried over.
    ['ref=hello', 'ok'],
    ['partner_id=p7&payout=5', 'repair:partner_without_transaction'],
    ['partner_id=p7&payout=5&transaction=T1', 'ok'],
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

describe('what careless servers send', () => {
  it('a plus is a space in status and event words, never in click IDs and transactions', () => {
    const over = { statusWords: [{ word: 'on hold', means: 'pending' as const }] };
    const r = reading(`ref=${ID}&payout=1&status=on+hold&transaction=A+1`, over);
    expect([r.status, r.transaction]).toEqual(['pending', 'A+1']);
  });
  it('in a form it is a space everywhere else', () => {
    const r = read('', {}, `ref=${ID}&payout=+12.50&transaction=A+1`, 'application/x-www-form-urlencoded');
    expect(r).toMatchObject({ ok: true, reading: { payout: 12_500_000n, transaction: 'A+1' } });
    // In a query it would be a sign.
    expect(reason(`ref=${ID}&payout=+12.50`)).toBe('repair:unreadable_payout');
  });
  it.each([`{${ID}}`, `"${ID}"`, `[${ID.toLowerCase()}]`, `( ${ID} )`])(
    '%s is our click ID, flagged',
    (text) => {
      const r = reading(`ref=${encodeURIComponent(text)}&payout=1`);
      expect([r.clickId, r.notes]).toEqual([ID, ['unwrapped:click_id']]);
    },
  );
  it('what is in braces and is no click ID stays a macro that came back', () => {
    expect(reason('ref={click_id}')).toBe('repair:click_unsubstituted');
    expect(reading(`ref={${ID}X}`)).toMatchObject({ clickId: null, clickIdText: `{${ID}X}` });
  });
  it('a long transaction keeps its beginning and the hash of the whole: two that begin alike stay two', () => {
    const long = (end: string): string =>
      reading(`ref=${ID}&transaction=${'é'.repeat(150)}${end}`).transaction;
    expect(new TextEncoder().encode(long('a')).length).toBeLessThanOrEqual(255);
    expect(long('a')).not.toBe(long('b'));
    expect(long('a')).toBe(long('a'));
    expect(long('a')).toMatch(/^é{95}[0-9a-f]{64}$/);
    expect(reading(`ref=${ID}&transaction=${'x'.repeat(255)}`).transaction).toHaveLength(255);
  });
  it('an archived event type still books when it is named, and stands in for nothing', () => {
    const some = [
      { ...types[0]!, live: false },
      { ...types[1]!, live: true },
    ];
    const of = (query: string) => readPostback(parsePostback(query, '', ''), network(), some, ARRIVED);
    expect(of(`ref=${ID}&event=sale`)).toMatchObject({
      ok: true,
      reading: { eventTypeId: 'E1', isEventTold: true },
    });
    expect(of(`ref=${ID}`)).toMatchObject({ ok: true, reading: { eventTypeId: 'E2', isEventTold: false } });
  });
  it('a field that holds an object needs repair, and says which', () => {
    const r = read('', {}, `{"ref": "${ID}", "payout": {"sum": 3}}`, 'application/json');
    expect(r).toMatchObject({ ok: false, reason: 'not_a_value', detail: 'payout' });
  });
  it('a body that cannot be read is the reason where nothing else names the conversion', () => {
    expect(read('', {}, '[1]', 'application/json')).toMatchObject({ reason: 'unreadable_body' });
    expect(read(`ref=${ID}&payout=1`, {}, '[1]', 'application/json').ok).toBe(true);
  });
  it.each(['XXX', 'XAU', 'XTS', 'ABC'])('%s is no currency that anyone pays in', (code) =>
    expect(reason(`ref=${ID}&currency=${code}`)).toBe('repair:unreadable_currency'),
  );
  it('parameters joined by &amp; are read, flagged', () => {
    const r = reading(`ref=${ID}&amp;payout=2&amp;transaction=T`);
    expect([r.payout, r.transaction, r.notes]).toEqual([2_000_000n, 'T', ['html_ampersand']]);
  });
  it('a naive time is the network’s, and one far ahead is not used', () => {
    const zoned = reading(`ref=${ID}&conversion_time=2026-11-25T10:00:00`, { zone: 'Asia/Kathmandu' });
    expect(new Date(zoned.conversionTime!).toISOString()).toBe('2026-11-25T04:15:00.000Z');
    const ahead = reading(`ref=${ID}&changed_time=2026-11-27T10:00:00Z`);
    expect([ahead.changedTime, ahead.notes]).toEqual([null, ['far_ahead:changed_time']]);
  });
});
