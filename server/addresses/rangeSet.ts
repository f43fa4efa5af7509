/** Ranges of addresses, sorted and merged once, so that an address is found among thousands in some steps. */
import { isIPv4 } from 'node:net';
import ipaddr from 'ipaddr.js';
import { parseRanges } from './addresses.ts';

export type RangeSet = (address: string) => boolean;

interface Span {
  first: bigint;
  last: bigint;
}
const V4_BITS = 32;
const V6_BITS = 128;

/** Throws on what is neither an address nor a range. */
export function rangeSet(list: readonly string[]): RangeSet {
  const ranges = parseRanges(list);
  const v4 = merged(ranges.filter(([net]) => net.kind() === 'ipv4').map(spanOf));
  const v6 = merged(ranges.filter(([net]) => net.kind() === 'ipv6').map(spanOf));
  if (v4.length + v6.length === 0) return () => false;
  return (address) => {
    if (!isIPv4(address) && !ipaddr.isValid(address)) return false;
    const parsed = ipaddr.process(address);
    return among(parsed.kind() === 'ipv4' ? v4 : v6, numberOf(parsed));
  };
}

const numberOf = (address: ipaddr.IPv4 | ipaddr.IPv6): bigint =>
  address.toByteArray().reduce((sum, byte) => sum * 256n + BigInt(byte), 0n);

function spanOf([net, bits]: readonly [ipaddr.IPv4 | ipaddr.IPv6, number]): Span {
  const free = BigInt((net.kind() === 'ipv4' ? V4_BITS : V6_BITS) - bits);
  const first = (numberOf(net) >> free) << free;
  return { first, last: first + (1n << free) - 1n };
}

function merged(spans: Span[]): Span[] {
  const sorted = spans.toSorted((a, b) => (a.first < b.first ? -1 : a.first > b.first ? 1 : 0));
  const all: Span[] = [];
  for (const span of sorted) {
    const before = all.at(-1);
    if (before && span.first <= before.last + 1n) {
      if (span.last > before.last) before.last = span.last;
    } else all.push({ ...span });
  }
  return all;
}

function among(spans: readonly Span[], at: bigint): boolean {
  let low = 0;
  let high = spans.length - 1;
  while (low <= high) {
    const middle = (low + high) >> 1;
    const { first, last } = spans[middle]!;
    if (at < first) high = middle - 1;
    else if (at > last) low = middle + 1;
    else return true;
  }
  return false;
}
