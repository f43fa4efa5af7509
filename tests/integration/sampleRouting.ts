/** A routing as busy campaigns have one: mixed conditions, each branch with a split. All ways lead to one offer. */
import type { Condition, Routing } from '@tracheon/core/contract';

const leaf = (on: string, op: string, ...values: string[]): Condition =>
  ({ on, op, values, zone: '' }) as Condition;
const mixed: ((n: number) => Condition)[] = [
  (n) => leaf('sub_site', 'is', `site-${n}.example`, `other-${n}.example`),
  (n) => ({ all: [leaf('country', 'is', 'NL', 'BE', 'DK'), leaf('sub_zone', 'is', `z${n}`)] }),
  (n) => ({ any: [leaf('sub_title', 'contains', `title ${n}`), leaf('language', 'is', `x${n}`)] }),
  (n) => leaf('sub_kw', 'matches', `^(kite|jar)-${n}[a-z]+$`),
  (n) => ({ all: [leaf('device', 'is', 'tv'), { not: leaf('hour', 'is', String(n % 24)) }] }),
  (n) => leaf('address', 'within', `203.0.${n}.0/24`),
  (n) => ({ all: [leaf('os', 'is', 'iOS'), leaf('os_version', 'at_least', String(30 + n))] }),
  () => ({ all: [leaf('is_unique', 'is', 'no'), leaf('browser', 'is', 'Firefox')] }),
];

export function sampleRouting(offerId: string, branches: number): Routing {
  const pairings = (id: string) =>
    [3, 1].map((weight, i) => ({
      id: `${id}-${i}`,
      landingPageId: '',
      offerIds: [offerId],
      weight,
      isOn: true,
      from: '',
      to: '',
    }));
  return {
    branches: Array.from({ length: branches }, (_, n) => ({
      id: `b${n}`,
      name: `Branch ${n + 1}`,
      when: mixed[n % mixed.length]!(n),
      split: 'weights' as const,
      pairings: pairings(`b${n}`),
    })),
    otherwise: { split: 'weights', pairings: pairings('o') },
  };
}
