/** Who is really asking: the peer, or the last untrusted address in X-Forwarded-For when the peer is a configured proxy. */
import ipaddr from 'ipaddr.js';

export type Ranges = readonly (readonly [ipaddr.IPv4 | ipaddr.IPv6, number])[];

/** Throws on what is neither an address nor a range. */
export function parseRanges(list: readonly string[]): Ranges {
  return list.map((text) => {
    if (text.includes('/')) return ipaddr.parseCIDR(text);
    const address = ipaddr.parse(text);
    return [address, address.kind() === 'ipv4' ? 32 : 128] as const;
  });
}

function inRanges(address: string, ranges: Ranges): boolean {
  if (!ipaddr.isValid(address)) return false;
  const parsed = ipaddr.process(address);
  return ranges.some(
    ([net, bits]) => net.kind() === parsed.kind() && (parsed as ipaddr.IPv4).match(net as ipaddr.IPv4, bits),
  );
}

export function clientAddress(peer: string, forwarded: string | undefined, trusted: Ranges): string {
  let address = plain(peer);
  if (forwarded === undefined || trusted.length === 0) return address;
  for (const hop of forwarded.split(',').reverse()) {
    if (!inRanges(address, trusted)) return address;
    const text = plain(hop.trim());
    if (!ipaddr.isValid(text)) return address;
    address = text;
  }
  return address;
}

/** An IPv4 address mapped into IPv6 is the IPv4 address. */
function plain(address: string): string {
  return ipaddr.isValid(address) ? ipaddr.process(address).toString() : address;
}

/** What may stay with a visit: /24 or /48. */
export function addressPrefix(address: string): string {
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
