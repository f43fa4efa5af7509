/** What was pasted where an offer link is asked for: the link in it, whose it is, and what it says by itself. */
import type { NetworkInput } from '../contract/networks.ts';
import { MAX_URL_LENGTH } from '../contract/primitives.ts';
import { extractLinks } from './extractLinks.ts';
import { isOurs, linkParameters } from './compose.ts';
import { isClickIdPlace } from './checkQuery.ts';

export interface PastedOffer {
  /** The link, out of a tag or a text if it stood in one; the text itself when it holds none. */
  link: string;
  /** Scheme, host and port are one of our own tracking domains: the key behind `/v/`, else empty. */
  ownKey: string | null;
  /** Host with its port; empty when there is none. */
  host: string;
  /** The parameter that looks like the place for our click ID; empty for none. */
  clickIdParameter: string;
  /** Why it cannot be taken, in a sentence; empty when it can. */
  problem: string;
}

export function readPasted(text: string, ownOrigins: readonly string[]): PastedOffer {
  const nothing = { link: '', ownKey: null, host: '', clickIdParameter: '', problem: '' };
  const trimmed = text.trim();
  const link = (/^https?:\/\/\S+$/i.test(trimmed) ? trimmed : extractLinks(trimmed)[0]?.link) ?? trimmed;
  if (link.length > MAX_URL_LENGTH)
    return {
      ...nothing,
      problem: `This text has ${Math.ceil(text.length / 1024)} KiB. A link can have at most ${MAX_URL_LENGTH / 1024} KiB.`,
    };
  const host = /^https?:\/\/([^/?#\s]+)/i.exec(link)?.[1]?.toLowerCase() ?? '';
  if (isOurs(link, ownOrigins)) {
    const ownKey = /\/v\/([a-z0-9]+)/i.exec(link)?.[1] ?? '';
    return {
      ...nothing,
      link,
      host,
      ownKey,
      problem: 'This link points to our own tracking domain, not to an offer. Visitors would loop.',
    };
  }
  const place = linkParameters(link).find((p) => isClickIdPlace(p.name, p.value));
  return { ...nothing, link, host, clickIdParameter: place?.name ?? '' };
}

/** The network whose offer links begin with this host: with its port, or without. */
export function networkOfHost<N extends { body: Pick<NetworkInput, 'hosts'> }>(
  host: string,
  networks: readonly N[],
): N | undefined {
  if (host === '') return undefined;
  const bare = host.replace(/:\d+$/, '');
  return (
    networks.find((n) => n.body.hosts.includes(host)) ?? networks.find((n) => n.body.hosts.includes(bare))
  );
}
