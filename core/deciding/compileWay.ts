/** One way as it is decided by: its condition compiled, its weights laid out. Throws on a condition that is none. */
import type { Pairing } from '../contract/index.ts';
import { compileCondition } from '../conditions/index.ts';
import { weightsOf, type CompiledWay, type RoutedWay, type Weighed } from '../routing/index.ts';

/** `zone` is the desk's, for hours and weekdays that name none; `more` adds to each pairing what its caller needs of it. */
export function compileWay<M>(
  way: RoutedWay,
  zone: string,
  more: (pairing: Pairing) => M,
): CompiledWay<Weighed & M> {
  const pairings = way.pairings.map((p) => ({
    id: p.id,
    weight: p.weight,
    isOn: p.isOn,
    fromMs: p.from === '' ? -Infinity : Date.parse(p.from),
    toMs: p.to === '' ? Infinity : Date.parse(p.to),
    ...more(p),
  }));
  return {
    id: way.id,
    name: way.name,
    holds: way.when && compileCondition(way.when, zone),
    pairings,
    weights: weightsOf(way.split, pairings),
    isAutomatic: way.split === 'automatic',
    hasTimes: way.pairings.some((p) => p.from !== '' || p.to !== ''),
  };
}
