/** What really happened, as a flow: from the branch over pairing and page to the offer, and what came of it. */
import type { RecentWay } from '@tracheon/core/contract';

export interface FlowNames {
  branch: (id: string) => string;
  /** The letter of a pairing, and its page where it has one. */
  pairing: (id: string, landingId: string) => string;
  offer: (id: string) => string;
}
export interface Flow {
  nodes: { id: string; label: string; depth: number }[];
  links: { from: string; to: string; visits: number }[];
}
const LEVEL = { branch: 0, pairing: 1, offer: 2, end: 3 } as const;
const CONVERTED = 'end:converted';
const NO_CONVERSION = 'end:none';
const NO_CLICK = 'offer:no-click';

export function flowOf(ways: readonly RecentWay[], names: FlowNames): Flow {
  const nodes = new Map<string, Flow['nodes'][number]>();
  const links = new Map<string, Flow['links'][number]>();
  const node = (id: string, label: string, level: keyof typeof LEVEL): string => {
    nodes.set(id, { id, label, depth: LEVEL[level] });
    return id;
  };
  const link = (from: string, to: string, visits: number): void => {
    if (visits <= 0) return;
    const key = `${from}>${to}`;
    const before = links.get(key);
    links.set(key, { from, to, visits: (before?.visits ?? 0) + visits });
  };
  for (const w of ways) {
    const branch = node(`branch:${w.branchId}`, names.branch(w.branchId), 'branch');
    const pairing = node(
      `pairing:${w.branchId}:${w.pairingId}:${w.landingId}`,
      names.pairing(w.pairingId, w.landingId),
      'pairing',
    );
    link(branch, pairing, w.visits);
    const offer =
      w.offerId === ''
        ? node(`offer:${w.fate}`, w.fate === 'no_offer' ? 'No offer open' : 'Fallback address', 'offer')
        : node(`offer:${w.offerId}`, names.offer(w.offerId), 'offer');
    // A conversion needs a click, also where the click itself was not recorded.
    const sent = w.landingId === '' ? w.visits : Math.max(w.clicked, w.converted);
    link(pairing, offer, sent);
    if (sent < w.visits) link(pairing, node(NO_CLICK, 'No button click', 'offer'), w.visits - sent);
    if (w.converted > 0) link(offer, node(CONVERTED, 'Converted', 'end'), w.converted);
    if (sent > w.converted) link(offer, node(NO_CONVERSION, 'No conversion yet', 'end'), sent - w.converted);
  }
  const used = new Set([...links.values()].flatMap((l) => [l.from, l.to]));
  return { nodes: [...nodes.values()].filter((n) => used.has(n.id)), links: [...links.values()] };
}

/** For whoever does not see the picture. */
export function flowWords({ nodes, links }: Flow): string {
  const label = new Map(nodes.map((n) => [n.id, n.label]));
  return links.map((l) => `${label.get(l.from)} to ${label.get(l.to)}: ${l.visits} visits`).join('; ');
}
