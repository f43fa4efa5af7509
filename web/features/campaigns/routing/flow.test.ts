import { describe, expect, it } from '@jest/globals';
import type { RecentWay } from '@tracheon/core/contract';
import { flowOf, flowWords } from './flow.ts';

const way = (more: Partial<RecentWay>): RecentWay => ({
  branchId: 'otherwise',
  pairingId: 'p',
  landingId: '',
  offerId: 'O',
  fate: 'sent',
  visits: 10,
  clicked: 0,
  converted: 0,
  ...more,
});
const names = {
  branch: (id: string) => `Branch ${id}`,
  pairing: (id: string, landingId: string) => (landingId ? `${id} by ${landingId}` : id),
  offer: (id: string) => `Offer ${id}`,
};
const between = (ways: RecentWay[]): [string, string, number][] => {
  const { nodes, links } = flowOf(ways, names);
  const label = (id: string): string => nodes.find((n) => n.id === id)!.label;
  return links.map((l) => [label(l.from), label(l.to), l.visits]);
};

describe('the flow of what happened', () => {
  it('leads straight to the offer, and from there to conversions', () => {
    expect(between([way({ converted: 2 })])).toEqual([
      ['Branch otherwise', 'p', 10],
      ['p', 'Offer O', 10],
      ['Offer O', 'Converted', 2],
      ['Offer O', 'No conversion yet', 8],
    ]);
  });
  it('loses on a page those who click no button', () => {
    expect(between([way({ landingId: 'L', clicked: 4, converted: 1 })])).toEqual([
      ['Branch otherwise', 'p by L', 10],
      ['p by L', 'Offer O', 4],
      ['p by L', 'No button click', 6],
      ['Offer O', 'Converted', 1],
      ['Offer O', 'No conversion yet', 3],
    ]);
  });
  it('adds up what goes the same way, and every visit ends somewhere', () => {
    const ways = [
      way({ visits: 5 }),
      way({ branchId: 'b', pairingId: 'q', visits: 7 }),
      way({ visits: 3, offerId: '', fate: 'campaign_fallback' }),
    ];
    const flow = flowOf(ways, names);
    const sum = (depth: number): number =>
      flow.links
        .filter((l) => flow.nodes.find((n) => n.id === l.from)!.depth === depth)
        .reduce((total, l) => total + l.visits, 0);
    expect([sum(0), sum(1), sum(2)]).toEqual([15, 15, 15]);
    expect(flowWords(flow)).toContain('Branch b to q: 7 visits');
    expect(flow.nodes.map((n) => n.label)).toContain('Fallback address');
  });
  it('is empty where nobody came', () => expect(flowOf([], names)).toEqual({ nodes: [], links: [] }));
});
