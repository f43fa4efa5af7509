/** The names by which tokens call what a visit went through. */
import { branchesOf, type Routed } from '@tracheon/core/routing';
import type { PartNames } from '@tracheon/core/visits';
import type { CompiledCampaign, CompiledLanding, CompiledOffer } from '../snapshot/compiled.ts';

/** Names of what a visit went through; of no offer where it went to a fallback address. */
export const namesOf = (
  campaign: CompiledCampaign,
  offer: CompiledOffer | null,
  landing: CompiledLanding | null,
): PartNames => ({
  source: campaign.source,
  network: offer?.network ?? NO_PART,
  offer: offer?.part ?? NO_PART,
  landing,
  id: campaign.id,
  name: campaign.name,
  branchName: nameOfBranch(campaign.branches),
});
const nameOfBranch =
  (branches: readonly { id: string; name: string }[]) =>
  (branchId: string): string =>
    branches.find((b) => b.id === branchId)?.name ?? branchId;
/** Of a campaign as its record has it. */
export const branchNames = (campaign: Routed): PartNames['branchName'] => nameOfBranch(branchesOf(campaign));
const NO_PART = Object.freeze({ id: '', name: '' });
