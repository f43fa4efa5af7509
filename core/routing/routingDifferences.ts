/** What differs between two routings, branch by branch, as text that a person can compare. */
import { conditionWords, type ValueName } from './words.ts';
import { branchesOf, OTHERWISE, type Routed, type RoutedWay } from './routing.ts';

export interface RoutingDifference {
  /** The branch, and what of it. */
  field: string;
  before: string;
  after: string;
}
const splitNames = { weights: 'by weight', even: 'even', automatic: 'automatic' } as const;

export function routingDifferences(before: Routed, after: Routed, nameOf: ValueName): RoutingDifference[] {
  const [old, now] = [branchesOf(before), branchesOf(after)];
  const found: RoutingDifference[] = [];
  const note = (field: string, a: string, b: string): void => {
    if (a !== b) found.push({ field, before: a, after: b });
  };
  const kept = (ways: readonly RoutedWay[], others: readonly RoutedWay[]) =>
    ways.filter((w) => others.some((o) => o.id === w.id));
  const names = (ways: readonly RoutedWay[]): string => ways.map((w) => w.name).join(', ');
  if (kept(old, now).some((w, i) => w.id !== kept(now, old)[i]!.id))
    note('Order of branches', names(old.slice(0, -1)), names(now.slice(0, -1)));
  for (const way of now) {
    const was = old.find((w) => w.id === way.id);
    if (!was) {
      note(called(way), '(none)', wholeWay(way, nameOf));
      continue;
    }
    note(`${called(way)}, name`, was.name, way.name);
    note(`${called(way)}, conditions`, conditionOf(was, nameOf), conditionOf(way, nameOf));
    note(`${called(way)}, split`, splitNames[was.split], splitNames[way.split]);
    note(`${called(way)}, pairings`, pairingsWords(was, nameOf), pairingsWords(way, nameOf));
  }
  for (const way of old)
    if (!now.some((w) => w.id === way.id)) note(called(way), wholeWay(way, nameOf), '(removed)');
  return found;
}

const called = ({ id, name }: RoutedWay): string => (id === OTHERWISE ? 'Otherwise' : `Branch “${name}”`);
const conditionOf = ({ when }: RoutedWay, nameOf: ValueName): string =>
  when === null ? '' : conditionWords(when, nameOf);
const wholeWay = (way: RoutedWay, nameOf: ValueName): string =>
  [conditionOf(way, nameOf), splitNames[way.split], pairingsWords(way, nameOf)].filter(Boolean).join(': ');

function pairingsWords({ split, pairings }: RoutedWay, nameOf: ValueName): string {
  return pairings
    .map((p) => {
      const page = p.landingPageId === '' ? '' : `${nameOf('', p.landingPageId)} → `;
      const more = [
        split === 'weights' && pairings.length > 1 ? `weight ${p.weight}` : '',
        p.isOn ? '' : 'off',
        p.from === '' ? '' : `from ${p.from}`,
        p.to === '' ? '' : `to ${p.to}`,
      ].filter(Boolean);
      const offers = p.offerIds.map((id) => nameOf('', id)).join(' / ');
      return `${page}${offers}${more.length === 0 ? '' : ` (${more.join(', ')})`}`;
    })
    .join('; ');
}
