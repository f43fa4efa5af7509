/** Ten thousand visitors drawn from real visits and sent through a routing: what the worker does, in parts with their progress. */
import type { ManyResult, ManyVisitor, RehearsedOffer } from '@tracheon/core/deciding';
import { manyRehearser, noResult } from '@tracheon/core/deciding';
import { seededRandom } from '@tracheon/core/chance';
import type { RecentMix } from '@tracheon/core/contract';
import type { Routed } from '@tracheon/core/routing';
import { visitorOf } from './describedVisitor.ts';

/** Copied into the worker as it stands. */
export interface ManyTask {
  routed: Routed;
  sourceId: string;
  zone: string;
  nowMs: number;
  /** The same draws give the same result. */
  seed: number;
  count: number;
  mix: RecentMix;
  offers: Record<string, RehearsedOffer>;
  odds: Record<string, number>;
}
export interface ManyNews {
  done: number;
  /** null until all are through. */
  result: ManyResult | null;
}
/** Visitors between two words of progress. */
const PART = 500;

export function* runMany(task: ManyTask): Generator<ManyNews> {
  const random = seededRandom(task.seed);
  const result = noResult();
  const send = manyRehearser(task.routed, {
    zone: task.zone,
    nowMs: task.nowMs,
    offerOf: (id) => task.offers[id],
    oddsOf: (id) => task.odds[id],
    random,
  });
  const visitor = visitorsOf(task);
  for (let n = 0; n < task.count; n++) {
    if (n > 0 && n % PART === 0) yield { done: n, result: null };
    send(visitor(Math.floor(random() * task.mix.at.length)), result);
  }
  yield { done: task.count, result };
}

/** Each real visit is made a visitor once, however often it is drawn. */
function visitorsOf({ mix, sourceId, zone }: ManyTask): (row: number) => ManyVisitor {
  const made: ManyVisitor[] = [];
  return (row) =>
    (made[row] ??= {
      visitor: visitorOf(
        Object.fromEntries(mix.columns.map((c) => [c.field, c.values[c.rows[row]!]!])),
        mix.at[row]!,
        zone,
        sourceId,
      ),
      costMicros: microsOf(mix.costs.values[mix.costs.rows[row]!]!),
    });
}

/** Of a decimal number with a dot; null for none. */
function microsOf(cost: string): bigint | null {
  const [whole = '', part = ''] = cost.split('.');
  return /^\d+$/.test(whole) ? BigInt(whole) * 1_000_000n + BigInt(part.padEnd(6, '0').slice(0, 6)) : null;
}
