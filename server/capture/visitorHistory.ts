/** What the visitor's signed cookie tells of earlier visits of this desk. Read only for a branch that asks for it. */
import type { VisitorHistory } from '@tracheon/core/conditions';
import type { CompiledCampaign, Snapshot } from '../snapshot/compiled.ts';
import type { Handles } from './visitHandles.ts';

export function visitorHistory(
  { handles, hasConverted }: { handles: Handles; hasConverted: (clickId: string) => boolean },
  snapshot: Snapshot,
  deskId: string,
  cookies: string | undefined,
): VisitorHistory {
  const visits = handles.readCookies(cookies).flatMap((handle) => {
    const campaign = snapshot.campaigns.get(handle.campaignKey);
    return campaign?.deskId === deskId ? [{ ...handle, campaign }] : [];
  });
  return {
    hasConverted: visits.some(({ clickId }) => hasConverted(clickId)),
    offerIds: new Set(visits.flatMap(({ campaign, pairingId }) => offerIdsOf(campaign, pairingId))),
  };
}

/** None of a pairing that is gone. */
const offerIdsOf = ({ branches }: CompiledCampaign, pairingId: string): string[] =>
  branches.flatMap(({ pairings }) =>
    pairings.filter((p) => p.id === pairingId).flatMap((p) => p.offers.map((offer) => offer.part.id)),
  );
