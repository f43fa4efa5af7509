import { describe, expect, it } from '@jest/globals';
import { routing as routingSchema } from '../contract/index.ts';
import { closedWays, findPairings, withPairings } from './changePairings.ts';
import type { Routed } from './routing.ts';

const offer = '01J0000000000000000000000A';
const pairing = (id: string, weight = 1) => ({ id, offerIds: [offer], weight });
const campaign: Routed = {
  offerId: '',
  landingPageId: '',
  routing: routingSchema.parse({
    branches: [
      {
        id: 'phones',
        name: 'Phones',
        when: { on: 'device', op: 'is', values: ['phone'] },
        pairings: [pairing('a'), pairing('b', 0)],
      },
    ],
    otherwise: { pairings: [pairing('c', 3)] },
  }),
};

describe('pairings of a campaign', () => {
  it('are found by their own ID and by their branch, and nowhere else', () => {
    expect(findPairings(campaign, { pairingId: 'c' }).map((p) => p.id)).toEqual(['c']);
    expect(findPairings(campaign, { branchId: 'phones' }).map((p) => p.id)).toEqual(['a', 'b']);
    expect(findPairings(campaign, { branchId: 'otherwise' }).map((p) => p.id)).toEqual(['c']);
    expect(findPairings(campaign, { pairingId: 'gone' })).toEqual([]);
    expect(findPairings({ offerId: offer, landingPageId: '' }, { pairingId: 'only' })).toEqual([]);
  });

  it('take another weight and are switched off without a change to the others', () => {
    const next = withPairings(campaign, [{ pairingId: 'c', isOn: false, weight: 7 }]);
    expect(next.routing!.otherwise.pairings[0]).toMatchObject({ isOn: false, weight: 7 });
    expect(next.routing!.branches).toEqual(campaign.routing!.branches);
    expect(campaign.routing!.otherwise.pairings[0]).toMatchObject({ isOn: true, weight: 3 });
  });

  it('close a way with the last of them that takes visitors', () => {
    const off = (pairingId: string) => withPairings(campaign, [{ pairingId, isOn: false, weight: 1 }]);
    expect(closedWays(campaign, off('a'))).toEqual(['Phones']);
    expect(closedWays(campaign, off('b'))).toEqual([]);
    expect(closedWays(off('a'), off('a'))).toEqual([]);
    expect(closedWays(campaign, off('c'))).toEqual(['otherwise']);
  });
});
