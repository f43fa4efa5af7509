/**
 * Which offers have reached their conversion cap: conversions (pending and approved, of the event types that were chosen or of
 * all that count as conversions) of the current hour, day, week, month, or of all time, in the zone of the offer whose cap it
 * is. Offers that share a cap count together. Counted every few seconds beside the visits: what converts of visits already
 * sent overshoots, as does what comes within those seconds.
 */
import type { Pool } from 'pg';
import { isCounted, sqlStatuses } from '@tracheon/core/contract';
import { capPeriodAt } from '@tracheon/core/time';
import type { CompiledOffer, Snapshot } from '../snapshot/compiled.ts';
import { moreReached } from './moreCaps.ts';
import { moment } from './visitLeases.ts';

/** Conversions that count under a cap, as `n`; each name stands for SQL. No chosen event types: all that count as conversions. */
export const underCap = (of: Record<'desk' | 'offers' | 'events' | 'starts', string>): string =>
  `SELECT count(*)::int AS n FROM conversions c JOIN parts e ON e.id = c.event_type_id
   WHERE c.desk_id = ${of.desk} AND c.offer_id = ANY (${of.offers}) AND NOT c.is_test AND c.status IN (${sqlStatuses(isCounted)})
     AND CASE WHEN cardinality(${of.events}) > 0 THEN e.id = ANY (${of.events}) ELSE (e.body->>'countsAsConversion')::boolean END
     AND c.converted_at >= ${of.starts}`;

export class CapKeeper {
  private reached: ReadonlySet<string> = new Set();
  /** Of partners, as `offer|partner`. */
  private reachedBy: ReadonlySet<string> = new Set();

  constructor(
    private readonly pool: Pool,
    private readonly now: () => number,
  ) {}

  readonly isReached = (offerId: string, partnerId = ''): boolean =>
    this.reached.has(offerId) || (partnerId !== '' && this.reachedBy.has(`${offerId}|${partnerId}`));

  async count(snapshot: Snapshot): Promise<void> {
    const [own, more] = await Promise.all([
      this.countOwn(snapshot),
      moreReached(this.pool, snapshot, this.now()),
    ]);
    this.reached = new Set([...own, ...more.all]);
    this.reachedBy = more.byPartner;
  }

  private async countOwn(snapshot: Snapshot): Promise<string[]> {
    const sharing = sharedCaps(snapshot);
    if (sharing.size === 0) return [];
    const asked = [...sharing].map(([{ part, zone }, offerIds]) => ({
      id: part.id,
      desk: part.deskId,
      offers: offerIds,
      events: part.body.capEventTypeIds,
      starts: moment(capPeriodAt(this.now(), part.body.capPeriod, zone).startMs),
      stops: (part.body.capCount * part.body.capStopsAt) / 100,
    }));
    const { rows } = await this.pool.query<{ offers: string[] }>(
      `SELECT g.offers FROM jsonb_to_recordset($1)
         AS g (id text, desk text, offers text[], events text[], starts timestamptz, stops float8),
       LATERAL (${underCap({ desk: 'g.desk', offers: 'g.offers', events: 'g.events', starts: 'g.starts' })}) k
       WHERE k.n >= g.stops`,
      [JSON.stringify(asked)],
    );
    return rows.flatMap((r) => r.offers);
  }
}

/** Longer chains are a mistake. */
const MAX_STEPS = 3;

/** The offers under each cap, by the offer whose cap it is. */
export function sharedCaps({ offers }: Snapshot): Map<CompiledOffer, string[]> {
  const sharing = new Map<CompiledOffer, string[]>();
  for (const offer of offers.values()) {
    let holder: CompiledOffer | undefined = offer;
    for (let step = 0; holder?.part.body.capWithOfferId && step < MAX_STEPS; step++)
      holder = offers.get(holder.part.body.capWithOfferId);
    if (!holder || holder.part.body.capWithOfferId || holder.part.body.capCount === 0) continue;
    sharing.set(holder, [...(sharing.get(holder) ?? []), offer.part.id]);
  }
  return sharing;
}
