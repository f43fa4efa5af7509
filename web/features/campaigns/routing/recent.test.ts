import { describe, expect, it } from '@jest/globals';
import type { RecentCampaign, RecentWay } from '@tracheon/core/contract';
import { percent } from '../../../ui/format.ts';
import { branchLatelyWords, latelyWords } from './recent.ts';

const way = (
  branchId: string,
  pairingId: string,
  visits: number,
  more: Partial<RecentWay> = {},
): RecentWay => ({
  branchId,
  pairingId,
  landingId: '',
  offerId: 'O',
  fate: 'sent',
  visits,
  clicked: 0,
  converted: 0,
  ...more,
});
const recent: RecentCampaign = {
  visits: 200,
  isCut: false,
  cappedOfferIds: [],
  ways: [
    way('b', 'one', 90, { converted: 9 }),
    way('b', 'one', 10, { fate: 'offer_fallback', offerId: 'P' }),
    way('otherwise', 'two', 100),
  ],
};

describe('what the last 7 days brought', () => {
  it('a pairing, with its share of the branch and what became of its visits', () => {
    expect(latelyWords(recent, 'b', 'one')).toBe(
      `Last 7 days: 100 visits (${percent(1, 0)} of the branch), 9 with a conversion (${percent(0.09, 1)}), 10 sent elsewhere because its offer took no visitors`,
    );
    expect(latelyWords(recent, 'b', 'other')).toBe('Last 7 days: no visits.');
  });
  it('a branch', () => {
    expect(branchLatelyWords(recent, 'b')).toBe(`${percent(0.5, 0)} of the last 7 days`);
    expect(branchLatelyWords({ ...recent, isCut: true }, 'b')).toContain('newest 10,000');
  });
  it('says nothing where nothing is known', () => {
    expect(latelyWords(null, 'b', 'one')).toBe('');
    expect(latelyWords(recent, 'new', 'one')).toBe('');
    expect(branchLatelyWords(recent, 'new')).toBe('no visits in the last 7 days');
    expect(branchLatelyWords({ visits: 0, isCut: false, cappedOfferIds: [], ways: [] }, 'b')).toBe('');
  });
});
