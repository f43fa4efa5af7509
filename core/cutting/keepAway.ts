/** Values that a campaign keeps away: its first branch takes their visits and sends them to no offer, so they go to the fallback. */
import {
  MAX_CONDITION_VALUES,
  type Branch,
  type CampaignInput,
  type ConditionLeaf,
} from '../contract/index.ts';
import { asRouting, routeTo } from '../routing/index.ts';

/** One branch for each sub-ID, so that more values go to the same one. */
const branchId = (sub: string): string => `away_${sub.replace(/[^\w-]/g, '_')}`.slice(0, 37);
const pairingId = (sub: string): string => `${branchId(sub)}_to`;

/** Values that the campaign keeps away by that branch; undefined where it has none. */
function keptBranch(body: CampaignInput, sub: string): { branch: Branch; leaf: ConditionLeaf } | undefined {
  const branch = asRouting(body).branches.find((b) => b.id === branchId(sub));
  return branch && 'on' in branch.when ? { branch, leaf: branch.when } : undefined;
}
export const keptAway = (body: CampaignInput, sub: string): string[] =>
  keptBranch(body, sub)?.leaf.values ?? [];

/** The campaign as it is changed; the very same when all of them are kept away already, null when a branch can't name so many. */
export function keepAway(body: CampaignInput, sub: string, values: readonly string[]): CampaignInput | null {
  const kept = keptBranch(body, sub);
  const all = [...new Set([...(kept?.leaf.values ?? []), ...values])];
  if (kept && all.length === kept.leaf.values.length) return body;
  if (all.length > MAX_CONDITION_VALUES) return null;
  const routing = asRouting(body);
  const away: Branch = {
    id: branchId(sub),
    name: `Kept away by ${sub}`.slice(0, 100),
    when: { on: `sub_${sub}`, op: 'is', values: all, zone: '' },
    split: 'even',
    // Switched off: none of them takes a visit, and the fallback of the first one does.
    pairings: routing.otherwise.pairings.slice(0, 1).map((p) => ({ ...p, id: pairingId(sub), isOn: false })),
  };
  const others = routing.branches.filter((b) => b.id !== away.id);
  return { ...body, ...routeTo(''), routing: { ...routing, branches: [away, ...others] } };
}
