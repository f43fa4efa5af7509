/** Whether two offer links lead to the same offer: but for what differs from visit to visit. */
import type { NetworkInput } from '../contract/networks.ts';
import { isClickIdPlace } from './checkQuery.ts';
import { linkParameters } from './compose.ts';

/** Compared without its query: scheme and a trailing slash make no other offer. */
const placeOf = (link: string): string =>
  link
    .replace(/[?#].*$/s, '')
    .replace(/^https?:\/\//i, '')
    .replace(/\/+$/, '')
    .toLowerCase();

/** Parameters that say which offer it is: not our click ID's, not the sub-IDs of the network, none with a token in it. */
function telling(
  link: string,
  network: Pick<NetworkInput, 'clickIdParameter' | 'subParameters'> | undefined,
): string {
  const own = new Set([
    network?.clickIdParameter ?? '',
    ...(network?.subParameters ?? []).map((p) => p.parameter),
  ]);
  return linkParameters(link)
    .filter(({ name, value }) => !own.has(name) && !isClickIdPlace(name, value) && !/[{}[\]#%]/.test(value))
    .map(({ name, value }) => `${name}=${value}`)
    .sort()
    .join('&');
}

export function isSameOffer(
  a: string,
  b: string,
  network?: Pick<NetworkInput, 'clickIdParameter' | 'subParameters'>,
): boolean {
  return placeOf(a) !== '' && placeOf(a) === placeOf(b) && telling(a, network) === telling(b, network);
}
