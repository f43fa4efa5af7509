/** How single values are compared; the reference evaluator and the compiled conditions share these and nothing else. */
import ipaddr from 'ipaddr.js';
import { RE2JS } from 're2js';
import { MAX_CONDITION_TEXT } from '../contract/index.ts';

/** Longer values are cut before they are compared. */
export const cutValue = (value: string): string =>
  value.length > MAX_CONDITION_TEXT ? value.slice(0, MAX_CONDITION_TEXT) : value;

/** Sub-IDs are compared by case, everything else without. */
export const asCompared = (value: string, byCase: boolean): string => (byCase ? value : value.toLowerCase());

/** Whether a version is at least another, number by number: 17.10 comes after 17.9, and 17 is 17.0. An unknown one is not. */
export function isVersionAtLeast(version: string, wanted: string): boolean | null {
  if (!/^\d/.test(version)) return null;
  const [a, b] = [numbersOf(version), numbersOf(wanted)];
  for (let i = 0; i < Math.max(a.length, b.length); i++) {
    const difference = (a[i] ?? 0) - (b[i] ?? 0);
    if (difference !== 0) return difference > 0;
  }
  return true;
}
const numbersOf = (version: string): number[] =>
  version.split(/[._]/).map((n) => Number.parseInt(n, 10) || 0);

/**
 * A pattern that takes linear time whatever it is and whatever it is held against (RE2 syntax: no look-around, no
 * back-references). Throws on what is no such pattern.
 */
export function compilePattern(text: string): (value: string) => boolean {
  const pattern = RE2JS.compile(text);
  return (value) => pattern.matcher(value).find();
}

type Address = ipaddr.IPv4 | ipaddr.IPv6;

/** Throws on what is neither an address nor a range. */
export function compileRanges(list: readonly string[]): (address: string) => boolean {
  const ranges = list.map((text): readonly [Address, number] => {
    if (text.includes('/')) return ipaddr.parseCIDR(text);
    const address = ipaddr.parse(text);
    return [address, address.kind() === 'ipv4' ? 32 : 128];
  });
  return (text) => {
    const address = parsed(text);
    if (address === null) return false;
    return ranges.some(
      ([net, bits]) =>
        net.kind() === address.kind() && (address as ipaddr.IPv4).match(net as ipaddr.IPv4, bits),
    );
  };
}

/** One visitor is held against many ranges in a row. */
let last: { text: string; address: Address | null } = { text: '', address: null };
function parsed(text: string): Address | null {
  if (text !== last.text) last = { text, address: ipaddr.isValid(text) ? ipaddr.process(text) : null };
  return last.address;
}
