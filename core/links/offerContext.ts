/** What an offer link has to be checked against: its network's parameters, our own domains, the hop before it. */
import type { NetworkInput } from '../contract/networks.ts';
import type { LinkContext } from './finding.ts';

export const offerContext = (
  network: Pick<NetworkInput, 'clickIdParameter' | 'clickIdLimit' | 'subParameters'> | undefined,
  ownOrigins: readonly string[],
  /** The address before it: the page's, else our own; empty when that is not known. */
  before = '',
): LinkContext => ({
  expander: 'we',
  place: 'visit',
  needs: 'click_id',
  clickIdParameter: network?.clickIdParameter ?? '',
  clickIdLimit: network?.clickIdLimit ?? 0,
  // What has a token is put in by itself.
  demanded: (network?.subParameters ?? []).filter((p) => p.demanded && p.token === ''),
  ownOrigins,
  afterHttps: before.startsWith('https:'),
});
