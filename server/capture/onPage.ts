/** A campaign as it is for a visitor who stands on one of its pages already: only the pairings of that page are left. */
import type { CompiledCampaign } from '../snapshot/compiled.ts';

/** By campaign and page; a campaign that changes is another object. */
const known = new WeakMap<CompiledCampaign, Map<string, CompiledCampaign | null>>();

/**
 * Null when no pairing of the campaign has the page. A branch without the page is left out, since it cannot send its visitors
 * elsewhere; who matches none that is left gets the last of them.
 */
export function campaignOnPage(campaign: CompiledCampaign, pageKey: string): CompiledCampaign | null {
  let pages = known.get(campaign);
  if (!pages) known.set(campaign, (pages = new Map()));
  // Keys come from outside: only those of its own pages are remembered.
  const found = pages.get(pageKey) ?? onlyWith(campaign, pageKey);
  if (found) pages.set(pageKey, found);
  return found;
}

function onlyWith(campaign: CompiledCampaign, pageKey: string): CompiledCampaign | null {
  const branches = campaign.branches.flatMap((branch) => {
    const on = branch.pairings.map((p) => p.landing?.part.key === pageKey);
    if (!on.includes(true)) return [];
    const left = <T>(list: readonly T[]): T[] => list.filter((_, i) => on[i]);
    return [{ ...branch, pairings: left(branch.pairings), weights: left(branch.weights) }];
  });
  return branches.length === 0 ? null : { ...campaign, branches };
}
