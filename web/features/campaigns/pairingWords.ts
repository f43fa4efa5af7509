/** What a comparison of pairings says, in a sentence. */
import type { PairingComparison } from '@tracheon/core/routing';
import { count, percent } from '../../ui/format.ts';

/** Two figures are all that an estimate can claim. */
function rounded(n: number): string {
  const unit = 10 ** Math.max(0, String(n).length - 2);
  return count(Math.round(n / unit) * unit);
}

export function pairingVerdict(found: PairingComparison, best: string): string {
  if (found.state === 'none') return 'Nothing has converted yet, so there is nothing to compare.';
  const share = found.pairings.find((p) => p.pairingId === found.bestId)!.chanceOfBest!;
  // Draws never make anything certain.
  const chance = share > 0.99 ? 'over 99 %' : percent(share, 0);
  if (found.state === 'clear') return `${best} earns most: ${chance} sure.`;
  const more =
    found.moreVisits === null
      ? 'The two best earn the same so far.'
      : `The two best need about ${rounded(found.moreVisits)} more visits each.`;
  return `Too early to choose. ${best} leads with a chance of ${chance} to be the best. ${more}`;
}
