/**
 * Which offers have reached their cap: conversions (pending and approved, of event types that count as conversions) of
 * the current hour, day, week, month, or of all time, in the offer's zone. Counted every few seconds beside the visits:
 * what converts of visits already sent overshoots, as does what comes within those seconds.
 */
import type { Pool } from 'pg';
import { isCounted, sqlStatuses } from '@tracheon/core/contract';
import type { Snapshot } from '../snapshot/compiled.ts';

export class CapKeeper {
  private reached: ReadonlySet<string> = new Set();

  constructor(private readonly pool: Pool) {}

  readonly isCapped = (offerId: string): boolean => this.reached.has(offerId);

  async count(snapshot: Snapshot): Promise<void> {
    const capped = [...snapshot.offers.values()].filter((o) => o.part.body.capCount > 0);
    if (capped.length === 0) return void (this.reached = new Set());
    const { rows } = await this.pool.query<{ id: string }>(
      `SELECT o.id FROM unnest($1::text[], $2::text[], $3::text[], $4::float8[]) AS o (id, zone, period, stops)
       JOIN parts p ON p.id = o.id JOIN desks d ON d.id = p.desk_id,
       LATERAL (SELECT coalesce(nullif(o.zone, ''), d.zone) AS zone) z,
       LATERAL (SELECT count(*) AS n FROM conversions c JOIN parts e ON e.id = c.event_type_id
         WHERE c.desk_id = p.desk_id AND c.offer_id = o.id AND NOT c.is_test AND c.status IN (${sqlStatuses(isCounted)})
           AND (e.body->>'countsAsConversion')::boolean
           AND (o.period = 'total' OR c.converted_at >= date_trunc(CASE o.period WHEN 'total' THEN 'day' ELSE o.period END, now() AT TIME ZONE z.zone) AT TIME ZONE z.zone)) k
       WHERE k.n >= o.stops`,
      [
        capped.map((o) => o.part.id),
        capped.map((o) => o.part.body.zone),
        capped.map((o) => o.part.body.capPeriod),
        capped.map((o) => (o.part.body.capCount * o.part.body.capStopsAt) / 100),
      ],
    );
    this.reached = new Set(rows.map((r) => r.id));
  }
}
