/** Troubles that visits show: macros that come as they stand, and paid visits to a paused campaign. */
import type { Pool } from 'pg';
import type { SignalKind, SourceInput } from '@tracheon/core/contract';
import { styleOf } from '@tracheon/core/tokens';
import { ulidAt } from '../db/pooledUlid.ts';
import type { FoundSignal } from './reconcile.ts';

export const visitKinds: readonly SignalKind[] = ['unfilled_macros', 'paid_while_paused'];
const HOUR_MS = 3_600_000;

export async function visitSignals(pool: Pool, deskId: string, nowMs: number): Promise<FoundSignal[]> {
  return [...(await unfilledMacros(pool, deskId, nowMs)), ...(await paidWhilePaused(pool, deskId, nowMs))];
}

/** Visits of the last hour that are looked at, the newest first. */
const LOOKED_AT = 2000;
/** A single one may be typed by hand. */
const FEWEST_UNFILLED = 3;
const NOTE = 'unsubstituted:';

async function unfilledMacros(pool: Pool, deskId: string, nowMs: number): Promise<FoundSignal[]> {
  const { rows } = await pool.query<{
    source_id: string;
    campaign_id: string;
    at: Date;
    subs: Record<string, string>;
    notes: string[];
  }>(
    `SELECT source_id, campaign_id, at, subs, notes FROM visits
     WHERE desk_id = $1 AND id > $2 AND day >= $3::date AND NOT is_test ORDER BY id DESC LIMIT ${LOOKED_AT}`,
    [deskId, ulidAt(nowMs - HOUR_MS), new Date(nowMs - HOUR_MS).toISOString().slice(0, 10)],
  );
  const counts = new Map<string, { sourceId: string; name: string; n: number; since: Date }>();
  const count = (sourceId: string, name: string, at: Date): void => {
    const key = `${sourceId} ${name}`;
    const was = counts.get(key);
    counts.set(key, { sourceId, name, n: (was?.n ?? 0) + 1, since: was && was.since < at ? was.since : at });
  };
  for (const { source_id, at, subs, notes } of rows) {
    for (const note of notes) if (note.startsWith(NOTE)) count(source_id, note.slice(NOTE.length), at);
    for (const [name, value] of Object.entries(subs))
      if (value.length < 100 && styleOf(value) !== null) count(source_id, name, at);
  }
  const found = [...counts.values()].filter((c) => c.n >= FEWEST_UNFILLED);
  if (found.length === 0) return [];
  const sources = await pool.query<{ id: string; name: string; body: SourceInput }>(
    `SELECT id, name, body FROM parts WHERE desk_id = $1 AND id = ANY ($2) AND kind = 'source'`,
    [deskId, found.map((f) => f.sourceId)],
  );
  const byId = new Map(sources.rows.map((s) => [s.id, s]));
  return found.flatMap(({ sourceId, name, n, since }): FoundSignal[] => {
    const source = byId.get(sourceId);
    if (!source) return [];
    const parameter = source.body.parameters.find((p) => p.parameter === name);
    const isCost = parameter?.role === 'cost';
    return [
      {
        kind: 'unfilled_macros',
        subject: `${sourceId} ${name}`,
        name: source.name,
        group: sourceId,
        groupName: source.name,
        sinceMs: since.getTime(),
        sentence: `${source.name} sends “${name}” unfilled: ${n} visits of the last hour carry the macro in place of its value.`,
        sure: '',
        advice: isCost
          ? 'The cost of these visits is not known. Check the macro in the source’s parameters and in the pasted link.'
          : 'Check the macro in the source’s parameters and in the pasted link.',
        to: `/parts/source?open=${sourceId}`,
      },
    ];
  });
}

/** Visits that were on their way when the campaign was paused. */
const ON_THEIR_WAY_MS = 15 * 60_000;
const FEWEST_PAID = 5;
async function paidWhilePaused(pool: Pool, deskId: string, nowMs: number): Promise<FoundSignal[]> {
  const { rows } = await pool.query<{
    id: string;
    name: string;
    source: string;
    n: number;
    since: Date;
    spent: string;
  }>(
    `SELECT c.id, c.name, s.name AS source, v.n, v.since, v.spent FROM parts c JOIN parts s ON s.id = c.body->>'sourceId'
     CROSS JOIN LATERAL (SELECT max(changed_at) AS at FROM part_versions WHERE part_id = c.id AND state = 'paused'
       AND version > coalesce((SELECT max(version) FROM part_versions WHERE part_id = c.id AND state <> 'paused'), 0)) p
     CROSS JOIN LATERAL (SELECT count(*)::int AS n, min(at) AS since, coalesce(sum(cost_micros), 0)::text AS spent FROM visits
       WHERE desk_id = $1 AND campaign_id = c.id AND at > greatest($2::timestamptz, p.at + make_interval(secs => ${ON_THEIR_WAY_MS / 1000}))
         AND day >= ($2::timestamptz AT TIME ZONE 'UTC')::date AND NOT is_test AND NOT is_bot AND cost_micros > 0) v
     WHERE c.desk_id = $1 AND c.kind = 'campaign' AND c.state = 'paused' AND v.n >= ${FEWEST_PAID}`,
    [deskId, new Date(nowMs - 24 * HOUR_MS)],
  );
  return rows.map(({ id, name, source, n, since, spent }) => ({
    kind: 'paid_while_paused',
    subject: id,
    name,
    group: id,
    groupName: name,
    sinceMs: since.getTime(),
    sentence: `${name} is paused, but ${source} goes on sending: ${n} paid visits since, ${(Number(spent) / 1e6).toFixed(2)} spent.`,
    sure: '',
    advice: `Pause it at ${source} too: Tracheon can’t stop what the source bills.`,
    to: `/campaigns/${id}`,
  }));
}
