/** Pairings switched on or off, or given another weight, wherever they stand in a campaign. */
import type { Pairing, Way } from '../contract/index.ts';
import { OTHERWISE, type Routed } from './routing.ts';

export interface PairingChange {
  pairingId: string;
  isOn: boolean;
  weight: number;
}
/** By the pairing's ID, or by its branch's. */
export type WhichPairings = { pairingId: string } | { branchId: string };

/** The pairings that are meant, as they are; none where the campaign has one offer and no branches. */
export function findPairings({ routing }: Routed, which: WhichPairings): Pairing[] {
  if (!routing) return [];
  const ways = [...routing.branches, { ...routing.otherwise, id: OTHERWISE }];
  return ways.flatMap((way) =>
    'branchId' in which
      ? way.id === which.branchId
        ? way.pairings
        : []
      : way.pairings.filter((p) => p.id === which.pairingId),
  );
}

export function withPairings<C extends Routed>(campaign: C, changes: readonly PairingChange[]): C {
  const { routing } = campaign;
  if (!routing) return campaign;
  const byId = new Map(changes.map((c) => [c.pairingId, c]));
  const changed = <W extends Way>(way: W): W => ({
    ...way,
    pairings: way.pairings.map((p) => {
      const to = byId.get(p.id);
      return to ? { ...p, isOn: to.isOn, weight: to.weight } : p;
    }),
  });
  return {
    ...campaign,
    routing: { branches: routing.branches.map(changed), otherwise: changed(routing.otherwise) },
  };
}

/** Names of ways none of whose pairings can take a visitor any more, and one could before. */
export function closedWays(before: Routed, after: Routed): string[] {
  const open = (way: Way): boolean => way.pairings.some((p) => p.isOn && p.weight > 0);
  const ways = ({ routing }: Routed): (Way & { name: string })[] =>
    routing ? [...routing.branches, { ...routing.otherwise, name: OTHERWISE }] : [];
  const was = ways(before);
  return ways(after).flatMap((way, i) => (was[i] && open(was[i]) && !open(way) ? [way.name] : []));
}
