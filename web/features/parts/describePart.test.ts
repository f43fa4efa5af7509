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

it('says what an offer pays where only its rows have amounts', () => {
  const says = (fields: object): string => describePart(offer(fields), new Map());
  expect(says({ payoutMicros: '18000000' })).toContain('pays 18.00 EUR');
  expect(says({ payouts: [row('4000000'), row('12500000')] })).toContain('pays 4.00 to 12.50 EUR');
  expect(says({ payouts: [row('4000000')] })).toContain('pays 4.00 EUR');
});
