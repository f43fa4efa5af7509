/** Caps that are almost reached, and feeds in trouble. */
import type { Pool } from 'pg';
import { wholeBody, type OfferInput, type SignalKind } from '@tracheon/core/contract';
import { capPeriodAt } from '@tracheon/core/time';
import { underCap } from '../captureStore/capKeeper.ts';
import { feedsBehind } from '../reports/feedsBehind.ts';
import type { FoundSignal } from './reconcile.ts';

export const moneyKinds: readonly SignalKind[] = ['cap_near', 'feed_trouble'];
/** Share of the conversions at which an offer stops. */
const NEAR = 0.9;

export async function moneySignals(
  pool: Pool,
  desk: { id: string; zone: string },
  nowMs: number,
): Promise<FoundSignal[]> {
  return [...(await capsNear(pool, desk, nowMs)), ...(await feeds(pool, desk.id, nowMs))];
}

async function capsNear(
  pool: Pool,
  desk: { id: string; zone: string },
  nowMs: number,
): Promise<FoundSignal[]> {
  const { rows } = await pool.query<{ id: string; body: unknown; sharing: string[] }>(
    `SELECT o.id, o.body, array(SELECT id FROM parts s WHERE s.desk_id = $1 AND s.kind = 'offer' AND s.state = 'live'
       AND s.body->>'capWithOfferId' = o.id) AS sharing
     FROM parts o WHERE o.desk_id = $1 AND o.kind = 'offer' AND o.state = 'live' AND (o.body->>'capCount')::int > 0
       AND coalesce(o.body->>'capWithOfferId', '') = ''`,
    [desk.id],
  );
  const found: FoundSignal[] = [];
  for (const { id, body, sharing } of rows) {
    const offer: OfferInput = wholeBody('offer', body);
    const { startMs } = capPeriodAt(nowMs, offer.capPeriod, offer.zone || desk.zone);
    const { rows: counted } = await pool.query<{ n: number }>(
      underCap({ desk: '$1', offers: '$2::text[]', events: '$3::text[]', starts: '$4' }),
      [desk.id, [id, ...sharing], offer.capEventTypeIds, new Date(Math.max(0, startMs))],
    );
    const { n } = counted[0]!;
    const stops = (offer.capCount * offer.capStopsAt) / 100;
    if (n < NEAR * stops) continue;
    const isOver = n >= stops;
    found.push({
      kind: 'cap_near',
      // Each period anew.
      subject: `${id} ${startMs}`,
      name: offer.name,
      group: id,
      groupName: offer.name,
      sinceMs: null,
      sentence: isOver
        ? `${offer.name} has reached its cap: ${n} of ${offer.capCount} conversions. Its visitors go to the fallback.`
        : `${offer.name} has ${n} of ${offer.capCount} conversions of its cap.`,
      sure: '',
      advice: 'Ask the network for a higher cap, or lower the budget in the source.',
      to: `/parts/offer?open=${id}`,
    });
  }
  return found;
}

async function feeds(pool: Pool, deskId: string, nowMs: number): Promise<FoundSignal[]> {
  return (await feedsBehind(pool, deskId, nowMs)).map(({ code, sentence, to }) => ({
    kind: 'feed_trouble',
    // Of feeds the name stands in quotation marks; a correction names its day too.
    subject: `${code} ${/“[^”]*”(?: corrected \d{4}-\d{2}-\d{2})?/.exec(sentence)?.[0] ?? ''}`,
    name: /“([^”]*)”/.exec(sentence)?.[1] ?? 'Exchange rates',
    group: code,
    groupName: 'feeds',
    sinceMs: null,
    sentence,
    sure: '',
    advice:
      code === 'feed_moved'
        ? 'Compare it with the network’s own report.'
        : 'Open the feed: it says what is wrong.',
    to,
  }));
}
