import { expect, it } from '@jest/globals';
import { offerInput, type OfferInput } from '../contract/index.ts';
import { partnerOffer } from './partnerOffers.ts';

const offer = (more: object = {}): OfferInput =>
  offerInput.parse({
    name: 'Kite club',
    networkId: 'N',
    link: 'https://kitewright.example/?c={click_id}',
    partnerPayouts: [
      {
        eventTypeId: 'sale',
        amountMicros: '9000000',
        exceptions: [{ partnerId: 'P', pays: 'share', percent: '12500000' }],
      },
    ],
    ...more,
  });
const told = (body: OfferInput, partnerId = 'Q') =>
  partnerOffer(body, { partnerId, today: '2026-11-28', nameOf: () => 'Sale' });

it('says what the partner gets, by its own terms', () => {
  expect(told(offer())).toEqual({ offer: 'Kite club', pays: ['9.00 EUR for each Sale'], troubles: [] });
  expect(told(offer(), 'P').pays).toEqual(['12.5 % of the revenue for each Sale']);
});
it('says what keeps the partner from getting anything', () => {
  expect(told(offer({ partnerPayouts: [] })).troubles).toEqual([
    'This offer pays partners nothing. Set partner payouts in the offer.',
  ]);
  expect(told(offer({ sending: 'paused' })).troubles[0]).toContain('This offer is paused');
  expect(told(offer({ endsOn: '2026-11-27' })).troubles[0]).toContain('This offer ended on 2026-11-27');
  expect(told(offer({ endsOn: '2026-11-28' })).troubles).toEqual([]);
  expect(told(offer({ startsOn: '2026-12-01' })).troubles[0]).toContain('This offer starts on 2026-12-01');
});
