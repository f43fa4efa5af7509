import { expect, it } from '@jest/globals';
import { wholeBody, type PartRecord } from '@tracheon/core/contract';
import { describePart } from './describePart.ts';

const offer = (fields: object): PartRecord =>
  ({
    id: 'o',
    kind: 'offer',
    state: 'live',
    body: wholeBody('offer', {
      name: 'Kites',
      networkId: 'n',
      link: 'https://o.example/',
      payoutMode: 'fixed',
      ...fields,
    }),
  }) as unknown as PartRecord;
const row = (amountMicros: string) => ({ eventTypeId: '', country: '', validFrom: '', amountMicros });

it('counts the sub-IDs of a source, which two parameters may fill', () => {
  const says = (subs: string[]): string =>
    describePart(
      {
        kind: 'source',
        body: wholeBody('source', {
          name: 'Marsh Post',
          parameters: subs.map((sub, n) => ({ parameter: `p${n}`, role: 'sub', sub })),
        }),
      } as unknown as PartRecord,
      new Map(),
    );
  expect(says([])).toContain('no sub-ID ·');
  expect(says(['site', 'site'])).toContain('1 sub-ID ·');
  expect(says(['site', 'zone'])).toContain('2 sub-IDs ·');
});

it('says what an offer pays where only its rows have amounts', () => {
  const says = (fields: object): string => describePart(offer(fields), new Map());
  expect(says({ payoutMicros: '18000000' })).toContain('pays 18.00 EUR');
  expect(says({ payouts: [row('4000000'), row('12500000')] })).toContain('pays 4.00 to 12.50 EUR');
  expect(says({ payouts: [row('4000000')] })).toContain('pays 4.00 EUR');
});
