/** Who is really asking: the peer, or the last untrusted address in X-Forwarded-For when the peer is a configured proxy. */
import { isIP, isIPv4 } from 'node:net';
import ipaddr from 'ipaddr.js';
import { LRUCache } from 'lru-cache';

export type Ranges = readonly (readonly [ipaddr.IPv4 | ipaddr.IPv6, number])[];

/** Throws on what is neither an address nor a range. */
export function parseRanges(list: readonly string[]): Ranges {
  return list.map((text) => {
    if (text.includes('/')) return ipaddr.parseCIDR(text);
    const address = ipaddr.parse(text);
    return [address, address.kind() === 'ipv4' ? 32 : 128] as const;
  });
}

export function inRanges(address: string, ranges: Ranges): boolean {
  if (!ipaddr.isValid(address)) return false;
  const parsed = ipaddr.process(address);
  return ranges.some(
    ([net, bits]) => net.kind() === parsed.kind() && (parsed as ipaddr.IPv4).match(net as ipaddr.IPv4, bits),
  );
}

export function clientAddress(peer: string, forwarded: string | undefined, trusted: Ranges): string {
  let address = plain(peer);
  if (forwarded === undefined || trusted.length === 0) return address;
  for (const hop of hopsOf(forwarded)) {
    if (!isTrusted(address, trusted)) return address;
    const text = plain(hop.trim());
    if (isIP(text) === 0) return address;
    address = text;
  }
  return address;
}

/** The last one first. Mostly there is one. */
const hopsOf = (forwarded: string): string[] =>
  forwarded.includes(',') ? forwarded.split(',').reverse() : [forwarded];

/** Peers are few, and asked for at each visit. */
const trust = new WeakMap<Ranges, LRUCache<string, boolean>>();
function isTrusted(address: string, ranges: Ranges): boolean {
  let known = trust.get(ranges);
  if (!known) trust.set(ranges, (known = new LRUCache({ max: 1000 })));
  let found = known.get(address);
  if (found === undefined) known.set(address, (found = inRanges(address, ranges)));
  return found;
}

/** An IPv4 address mapped into IPv6 is the IPv4 address. */
function plain(address: string): string {
  // As it stands: four numbers have one spelling only (isIP takes no leading zeros).
  if (isIPv4(address)) return address;
  return ipaddr.isValid(address) ? ipaddr.process(address).toString() : address;
}

/** What may stay with a visit: /24 or /48. */
export function addressPrefix(address: string): string {
  if (isIPv4(address)) return `${address.slice(0, address.lastIndexOf('.'))}.0/24`;
  if (!ipaddr.isValid(address)) return '';
  const parsed = ipaddr.process(address);
  if (parsed.kind() === 'ipv4') return `${(parsed as ipaddr.IPv4).octets.slice(0, 3).join('.')}.0/24`;
  return `${(parsed as ipaddr.IPv6).parts
    .slice(0, 3)
    .map((p) => p.toString(16))
    .join(':')}::/48`;
}

export const isLoopback = (address: string): boolean =>
  ipaddr.isValid(address) && ipaddr.process(address).range() === 'loopback';
