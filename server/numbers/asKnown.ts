/**
 * The index as things were known at a moment of the last weeks: conversions that were booked later are left out or are what
 * they were, and what sources billed later does not count. It is for one question, in tables of its own connection.
 */
import type { DuckDBConnection } from '@duckdb/node-api';
import type { Pool } from 'pg';
import { NOTHING_SEEN, type DeskTables } from './indexFile.ts';

/** Visits of a source in a stretch whose cost was set after the moment. */
export interface LaterCost {
  sourceId: string;
  from: number;
  to: number;
}
/** More stretches than this are told as one. */
const MOST = 200;

/** Of loads that were made later; those that were undone since are in no cost now. */
export async function laterCosts(pool: Pool, deskId: string, momentMs: number): Promise<LaterCost[]> {
  const { rows } = await pool.query<LaterCost>(
    `SELECT e.source_id AS "sourceId", (extract(epoch FROM min(e.from_at)) * 1000)::float8 AS from,
       (extract(epoch FROM max(e.to_at)) * 1000)::float8 AS to
     FROM cost_entries e JOIN cost_loads l ON l.id = e.load_id
     WHERE e.desk_id = $1 AND l.made_at > $2 AND l.state = 'done' GROUP BY e.source_id, e.first_day ORDER BY 2 DESC`,
    [deskId, new Date(momentMs)],
  );
  return rows.length <= MOST ? rows : together(rows);
}
function together(all: readonly LaterCost[]): LaterCost[] {
  const bySource = new Map<string, LaterCost>();
  for (const { sourceId, from, to } of all) {
    const was = bySource.get(sourceId) ?? { sourceId, from, to };
    bySource.set(sourceId, { sourceId, from: Math.min(was.from, from), to: Math.max(was.to, to) });
  }
  return [...bySource.values()];
}

export async function asKnownAt(
  connection: DuckDBConnection,
  tables: DeskTables,
  momentMs: number,
  later: readonly LaterCost[],
): Promise<DeskTables> {
  await connection.run(
    `CREATE TEMP TABLE known_conversions AS
     SELECT c.* REPLACE (
       CASE WHEN o.id IS NULL THEN c.status ELSE o.status END AS status,
       CASE WHEN o.id IS NULL THEN c.currency ELSE o.currency END AS currency,
       CASE WHEN o.id IS NULL THEN c.payout_micros ELSE o.payout_micros END AS payout_micros,
       CASE WHEN o.id IS NULL THEN c.base_micros ELSE o.base_micros END AS base_micros,
       CASE WHEN o.id IS NULL THEN c.partner_micros ELSE o.partner_micros END AS partner_micros,
       CASE WHEN o.id IS NULL THEN c.converted_at ELSE o.converted_at END AS converted_at)
     FROM ${tables.conversions} c LEFT JOIN (
       SELECT * FROM ${tables.steps} WHERE booked_at > ${Math.round(momentMs)}
       QUALIFY row_number() OVER (PARTITION BY id ORDER BY n) = 1) o ON o.id = c.id
     WHERE o.id IS NULL OR o.existed`,
  );
  const known = {
    ...tables,
    conversions: 'known_conversions',
    found: new Map<string, unknown>(),
    keptSums: null,
    seen: { ...NOTHING_SEEN },
  };
  if (!tables.hasSetCosts || later.length === 0) return known;
  const isLater = later
    .map(
      (l) =>
        `(v.source_id = '${l.sourceId.replaceAll("'", "''")}' AND v.visit_at >= ${l.from} AND v.visit_at < ${l.to})`,
    )
    .join(' OR ');
  // What was billed later is not known yet: the visit's own cost stands, where it has one; costs of no visit are not there.
  await connection.run(
    `CREATE TEMP VIEW known_visits AS SELECT v.* REPLACE (
       CASE WHEN ${isLater} THEN NULL ELSE v.set_micros END AS set_micros,
       CASE WHEN ${isLater} THEN NULL ELSE v.set_currency END AS set_currency) FROM ${tables.visits} v;
     CREATE TEMP VIEW known_extras AS SELECT v.* FROM ${tables.extras} v WHERE NOT (${isLater})`,
  );
  return { ...known, visits: 'known_visits', extras: 'known_extras' };
}
