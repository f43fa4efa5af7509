/** Values that a campaign keeps away: its first branch takes their visits and sends them to no offer, so they go to the fallback. */
import {
  MAX_CONDITION_VALUES,
  type Branch,
  type CampaignInput,
  type ConditionLeaf,
  type Routing,
} from '../contract/index.ts';
import { asRouting, routeTo } from '../routing/index.ts';

/** One branch for each sub-ID, so that more values go to the same one. */
const branchId = (sub: string): string => `away_${sub.replace(/[^\w-]/g, '_')}`.slice(0, 34);

/** The branch by which the campaign keeps values away; one that a member made into something else is no longer it. */
function keptBranch(body: CampaignInput, sub: string): { branch: Branch; leaf: ConditionLeaf } | undefined {
  for (const branch of asRouting(body).branches) {
    const { id, when, pairings } = branch;
    if (!id.startsWith(branchId(sub)) || pairings.some((p) => p.isOn) || !('on' in when)) continue;
    if (when.on === `sub_${sub}` && when.op === 'is') return { branch, leaf: when };
  }
  return undefined;
}
export const keptAway = (body: CampaignInput, sub: string): string[] =>
  keptBranch(body, sub)?.leaf.values ?? [];

/** The campaign as it is changed; itself when it keeps all of them away already; null when a branch can't name so many values. */
export function keepAway(body: CampaignInput, sub: string, values: readonly string[]): CampaignInput | null {
  const kept = keptBranch(body, sub);
  const all = [...new Set([...(kept?.leaf.values ?? []), ...values])];
  if (kept && all.length === kept.leaf.values.length) return body;
  if (all.length > MAX_CONDITION_VALUES) return null;
  const routing = asRouting(body);
  const branches = kept
    ? routing.branches.map((b) =>
        b.id === kept.branch.id ? { ...b, when: { ...kept.leaf, values: all } } : b,
      )
    : [awayBranch(routing, sub, all), ...routing.branches];
  return { ...body, ...routeTo(''), routing: { ...routing, branches } };
}

function awayBranch(routing: Routing, sub: string, values: string[]): Branch {
  const taken = new Set([
    ...routing.branches.flatMap((b) => [b.id, ...b.pairings.map((p) => p.id)]),
    ...routing.otherwise.pairings.map((p) => p.id),
  ]);
  // Another branch may have the ID: of a sub-ID of nearly the same name, or one that a member changed.
  const free = (id: string, n = 2): string =>
    !taken.has(id) ? id : !taken.has(`${id}_${n}`) ? `${id}_${n}` : free(id, n + 1);
  return {
    id: free(branchId(sub)),
    name: `Kept away by ${sub}`.slice(0, 100),
    when: { on: `sub_${sub}`, op: 'is', values, zone: '' },
    split: 'even',
    // Switched off: none of them takes a visit, and the fallback of the first one does.
    pairings: routing.otherwise.pairings
      .slice(0, 1)
      .map((p) => ({ ...p, id: free(`${branchId(sub)}_to`), isOn: false })),
  };
}
