/** The parts of a campaign, for its name. */
import type { PartRecord } from '@tracheon/core/contract';
import type { NamedChain } from '@tracheon/core/naming';
import { landingPagesOf, offersOf } from '@tracheon/core/routing';
import { useParts } from '../../../app/parts.ts';

export function useNamedChain(): (campaign: PartRecord<'campaign'>) => NamedChain {
  const parts = useParts();
  return ({ body }) => {
    const offer = parts.one('offer', offersOf(body)[0] ?? '');
    return {
      source: parts.one('source', body.sourceId)?.body,
      offer: offer?.body,
      network: offer && parts.one('network', offer.body.networkId)?.body,
      page: parts.one('landing-page', landingPagesOf(body)[0] ?? '')?.body,
      format: body.adFormat,
      country: body.country,
    };
  };
}
