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
  const legs: FollowAnswer['legs'] = [
    { from: sent.url, button: 0, ...(await deps.walk(sent.location, headers, ownOrigins)) },
  ];
  // A page is not the end of the way: its first button leads on.
  if (visit.landingId !== '') {
    const button = await pressTestButton(deps, deskId, origin, sent.clickId, 1);
    legs.push({
      from: button.url,
      button: 1,
      ...(await deps.walk(button.location, headers, ownOrigins)),
    });
  }
  const { branchId, pairingId, offerId, fate } = visit;
  return { clickId: sent.clickId, branchId, pairingId, offerId, fate, legs };
}
