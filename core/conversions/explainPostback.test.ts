import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { networkInput } from '../contract/index.ts';
import { makeUlid } from '../identity/index.ts';
import { parsePostback } from '../links/index.ts';
import { explainPostback, readPostback } from './index.ts';

const clickId = makeUlid(
  1_780_000_000_000,
  Array.from({ length: 16 }, (_, i) => i),
);
const network = networkInput.parse({
  name: 'Larkspur CPA',
  fields: {
    click_id: { macro: '[aff_sub]', parameter: 'cid' },
    payout: { macro: '[payout]' },
    status: { macro: '[status]' },
  },
  statusWords: [
    { word: 'ok', means: 'approved' },
    { word: 'test', means: 'ignore' },
  ],
  extras: [{ name: 'brand', macro: '[brand]', parameter: 'br' }],
});
const types = [{ id: 'E1', word: 'sale', name: 'Sale', repeats: false }];
const ARRIVED = 1_780_000_100_000;
const explained = (query: string) => explainPostback(parsePostback(query, '', ''), network, types, ARRIVED);
const step = (query: string, field: string) => explained(query).find((s) => s.field === field)!;

describe('each field', () => {
  it('says which parameter filled it, with which value, and what that means', () => {
    const query = `cid=${clickId}&amount=18.50&status=ok&br=Kites`;
    expect(step(query, 'Click ID')).toMatchObject({ parameter: 'cid', value: clickId, isTrouble: false });
    // Under its alias.
    expect(step(query, 'Payout')).toMatchObject({
      parameter: 'amount',
      value: '18.50',
      meaning: 'Read as 18.50.',
    });
    expect(step(query, 'Status').meaning).toBe('Means approved.');
    expect(step(query, 'brand')).toMatchObject({ parameter: 'br', meaning: 'Kept as brand.' });
  });
  it('says what stands in for a missing one', () => {
    const query = `cid=${clickId}`;
    expect(step(query, 'Status').meaning).toBe('Missing. This network’s default is approved.');
    expect(step(query, 'Event').meaning).toBe('Missing. The default event type is Sale.');
    expect(step(query, 'Payout')).toMatchObject({ parameter: '', value: '', isTrouble: false });
  });
  it('marks what needs repair, with the sentence of the list', () => {
    expect(step(`cid=${clickId}&status=strange`, 'Status')).toMatchObject({
      meaning: 'The status “strange” is not mapped. Add it to the network’s status mapping.',
      isTrouble: true,
    });
    expect(step('cid=[aff_sub]', 'Click ID').isTrouble).toBe(true);
    expect(step('status=ok', 'Click ID').isTrouble).toBe(true);
    expect(step(`cid=${clickId}&status=test`, 'Status').isTrouble).toBe(false);
  });
  it('lists what nothing of ours takes', () => {
    expect(explained(`cid=${clickId}&zebra=1`).at(-1)).toMatchObject({
      parameter: 'zebra',
      field: '',
      meaning: 'Not used.',
    });
  });
});

it('finds trouble exactly where reading for booking does, whatever the values', () => {
  const value = fc.constantFrom(
    '',
    'ok',
    'strange',
    '[status]',
    '18.5',
    '1,234',
    '-3',
    clickId,
    'EUR',
    'sale',
    'XX',
  );
  const names = ['cid', 'payout', 'status', 'event', 'currency', 'transaction', 'conversion_time'] as const;
  fc.assert(
    fc.property(fc.dictionary(fc.constantFrom(...names), value), (values) => {
      const query = parsePostback(new URLSearchParams(values).toString(), '', '');
      const read = readPostback(query, network, types, ARRIVED);
      const needsRepair = !read.ok && read.outcome === 'repair';
      const isIgnored = !read.ok && read.outcome === 'ignored';
      // Whether an ID of another tracker is known, no reading tells.
      const hasTrouble = explainPostback(query, network, types, ARRIVED, true).some((s) => s.isTrouble);
      // What is ignored is not read to its end.
      if (!isIgnored) expect(hasTrouble).toBe(needsRepair);
    }),
  );
});
