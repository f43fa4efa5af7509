import { describe, expect, it } from '@jest/globals';
import { routing } from '../contract/index.ts';
import { branchesOf, landingPagesOf, offersOf, pairingsOf, splitOver, withOfferReplaced } from './index.ts';

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
  it('is split over several pages and offers by weight; with one of each it has no branches at all', () => {
    const own = { landingPageId: 'P', offerId: 'O', weight: 3 };
    expect(splitOver([own])).toEqual({ offerId: 'O', landingPageId: 'P' });
    const split = splitOver([own, { landingPageId: '', offerId: 'N', weight: 1 }]);
    expect(pairingsOf(split).map((p) => [p.id, p.landingPageId, p.offerIds, p.weight])).toEqual([
      ['only', 'P', ['O'], 3],
      ['split-2', '', ['N'], 1],
    ]);
    expect(offersOf(split)).toEqual(['O', 'N']);
  });
  it('ends no pairing before it begins', () => {
    const timed = (from: string, to: string): string[] => {
      const pairings = [{ id: 'p', offerIds: ['01M8ZZZZZZ0123456789ABCDEF'], from, to }];
      return routing.safeParse({ otherwise: { pairings } }).error?.issues.map((i) => i.path.join('.')) ?? [];
    };
    const [early, late] = ['2026-11-26T08:00:00.000Z', '2026-11-26T09:00:00.000Z'];
    expect([timed(early, late), timed('', early), timed(late, '')]).toEqual([[], [], []]);
    expect([timed(late, early), timed(late, late)]).toEqual(Array(2).fill(['otherwise.pairings.0.to']));
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
