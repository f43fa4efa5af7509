import { describe, expect, it } from '@jest/globals';
import { branchesOf, landingPagesOf, offersOf, pairingsOf, withOfferReplaced } from './index.ts';

const direct = { offerId: 'O', landingPageId: '' };
describe('the routing of a campaign', () => {
  it('has one branch with one pairing of its page and offer', () => {
    expect(branchesOf({ offerId: 'O', landingPageId: 'P' })).toEqual([
      {
        id: 'otherwise',
        name: 'otherwise',
        when: null,
        split: 'weights',
        pairings: [
          { id: 'only', landingPageId: 'P', offerIds: ['O'], weight: 1, isOn: true, from: '', to: '' },
        ],
      },
    ]);
    expect(pairingsOf(direct)).toHaveLength(1);
  });
  it('names each offer and page once, and none that is not chosen yet', () => {
    expect([offersOf(direct), landingPagesOf(direct)]).toEqual([['O'], []]);
    expect(offersOf({ offerId: '', landingPageId: '' })).toEqual([]);
  });
  it('takes another offer where the one stands', () => {
    expect(withOfferReplaced(direct, 'O', 'N')).toEqual({ offerId: 'N', landingPageId: '' });
    expect(withOfferReplaced(direct, 'X', 'N')).toBe(direct);
  });
});
