/**
 * How long a decision takes: 50 branches of 50 pairings with mixed conditions, for visitors of every kind, against the plain
 * evaluator on the same visitors in the same run. One branch in five asks for a pattern or a list of a hundred sub-IDs.
 *   npm run bench:routing -- --json                           also --branches 5 --pairings 3
 * What would make it lie: visitors that all match the first branch (printed: how far down they go), one visitor over and over
 * (10 000 different ones), or a decision that nothing reads (their sum is printed).
 */
import { parseArgs } from 'node:util';
import { seededRandom } from '@tracheon/core/chance';
import { compileCondition, holds, type RoutingVisitor } from '@tracheon/core/conditions';
import type { Condition, ConditionLeaf } from '@tracheon/core/contract';
import { decide, weightsOf, type CompiledWay, type Weighed } from '@tracheon/core/routing';
import { unknownVisit } from '@tracheon/core/visits';

const { values: asked } = parseArgs({
  options: {
    branches: { type: 'string', default: '50' },
    pairings: { type: 'string', default: '50' },
    json: { type: 'boolean' },
  },
});
const BRANCHES = Number(asked.branches);
const PAIRINGS = Number(asked.pairings);
const VISITORS = 10_000;
const ROUNDS = 20;

/** The same run each time. */
const random = seededRandom(1);
const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)]!;

const countries = ['BE', 'NL', 'DK', 'PT', 'CA', 'JP', 'DE', 'FR', 'SE', 'PL', 'ES', 'IT'];
const devices = ['phone', 'tablet', 'desktop'];
const systems = ['Android', 'iOS', 'Windows', 'macOS'];
const leaf = (on: string, op: ConditionLeaf['op'], ...values: string[]): ConditionLeaf => ({
  on,
  op,
  values,
  zone: '',
});

function condition(i: number): Condition {
  const base: Condition[] = [
    leaf('country', 'is', pick(countries), pick(countries)),
    leaf('device', 'is', pick(devices)),
  ];
  if (i % 5 === 0)
    base.push(
      leaf('sub_site', 'is', ...Array.from({ length: 100 }, () => `site-${Math.floor(random() * 5000)}`)),
    );
  if (i % 5 === 1) base.push(leaf('sub_site', 'matches', `^site-${i}[0-9]+$`));
  if (i % 5 === 2)
    base.push({ any: [leaf('os', 'is', pick(systems)), { not: leaf('os_version', 'at_least', '15') }] });
  if (i % 5 === 3)
    base.push(leaf('hour', 'is', '18', '19', '20', '21', '22', '23'), leaf('is_unique', 'is', 'yes'));
  if (i % 5 === 4) base.push(leaf('address', 'within', '198.51.100.0/24', '203.0.113.0/24'));
  return { all: base };
}
const pairings = (i: number): Weighed[] =>
  Array.from({ length: PAIRINGS }, (_, n) => ({
    id: `${i}-${n}`,
    weight: 1 + Math.floor(random() * 100),
    isOn: true,
    fromMs: -Infinity,
    toMs: Infinity,
  }));
const conditions = Array.from({ length: BRANCHES }, (_, i) => condition(i));
const ways: CompiledWay<Weighed>[] = [...conditions, null].map((when, i) => {
  const list = pairings(i);
  return {
    id: String(i),
    name: String(i),
    holds: when && compileCondition(when, 'Europe/Brussels'),
    pairings: list,
    weights: weightsOf('weights', list),
    isAutomatic: false,
    hasTimes: false,
  };
});
const visitors: RoutingVisitor[] = Array.from({ length: VISITORS }, () => ({
  visit: {
    ...unknownVisit,
    country: pick(countries),
    device: pick(devices),
    os: pick(systems),
    osVersion: pick(['', '10', '14.2', '15', '17.4.1']),
    isUnique: random() < 0.7,
    subs: { site: `site-${Math.floor(random() * 5000)}` },
  },
  address: `198.51.${Math.floor(random() * 256)}.${Math.floor(random() * 256)}`,
  nowMs: Date.UTC(2026, 10, 26, Math.floor(random() * 24)),
}));

const takes = ({ id }: Weighed): boolean => !id.endsWith('7');
function run(): { micros: number; branches: number } {
  let branches = 0;
  const began = process.cpuUsage();
  for (const visitor of visitors)
    branches += Number(decide(ways, { visitor, takes, before: '', random }).way.id);
  const { user, system } = process.cpuUsage(began);
  return { micros: (user + system) / VISITORS, branches };
}
run();
const times = Array.from({ length: ROUNDS }, run);
const sorted = times.map((t) => t.micros).sort((a, b) => a - b);
const began = process.cpuUsage();
let agreed = 0;
for (const visitor of visitors.slice(0, 1000)) {
  const plain = conditions.findIndex((c) => holds(c, visitor, 'Europe/Brussels'));
  const compiled = Number(decide(ways, { visitor, takes, before: '', random }).way.id);
  if ((plain < 0 ? BRANCHES : plain) === compiled) agreed += 1;
}
const plain = process.cpuUsage(began);
console.log(
  JSON.stringify({
    branches: BRANCHES,
    pairings: PAIRINGS,
    microsPerDecision: Number(sorted[Math.floor(ROUNDS / 2)]!.toFixed(2)),
    worstRound: Number(sorted.at(-1)!.toFixed(2)),
    plainMicrosPerDecision: Number(((plain.user + plain.system) / 1000).toFixed(1)),
    agreed: `${agreed} of 1000`,
    meanBranch: Number((times[0]!.branches / VISITORS).toFixed(1)),
  }),
);
