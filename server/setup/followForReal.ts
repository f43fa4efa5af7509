/** A test visit that goes all the way: by the tracking link to the page, over its first button, to the last page of the offer. */
import type { FollowAnswer } from '@tracheon/core/contract';
import { Problem } from '../problems/problem.ts';
import { loadVisit } from '../intake/loadVisits.ts';
import { agents, pressTestButton, sendTestVisit, type TesterDeps, type Visitor } from './tester.ts';
import type { Walk } from './walk.ts';

export async function followForReal(
  deps: TesterDeps & { walk: Walk },
  deskId: string,
  origin: string,
  ownOrigins: readonly string[],
  campaignId: string,
  visitor: Visitor,
): Promise<FollowAnswer> {
  const sent = await sendTestVisit(deps, deskId, origin, campaignId, visitor);
  const visit = await loadVisit(deps.pool, deskId, sent.clickId);
  if (!visit) throw new Problem('test_waiting');
  const headers = { 'user-agent': agents[visitor.device] };
  const leg = async (from: string, button: number, to: string): Promise<FollowAnswer['legs'][number]> => {
    const { hops, isFound, sentence } = await deps.walk(to, headers, ownOrigins);
    return { from, button, hops, isFound, sentence };
  };
  const legs = [await leg(sent.url, 0, sent.location)];
  // A page is not the end of the way: its first button leads on.
  if (visit.landingId !== '') {
    const button = await pressTestButton(deps, deskId, origin, sent.clickId, 1);
    legs.push(await leg(button.url, 1, button.location));
  }
  const { branchId, pairingId, offerId, fate } = visit;
  return { clickId: sent.clickId, branchId, pairingId, offerId, fate, legs };
}
