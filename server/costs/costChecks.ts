/** Visits whose cost is missing or hard to believe: those of campaigns that take it from links. */
import type { Pool } from 'pg';
import type { CostChecks } from '@tracheon/core/contract';
import type { DayRange } from '@tracheon/core/time';
import type { ReportDesk } from '../reports/period.ts';

const NOTES: CostChecks[number]['note'][] = ['no_cost', 'unreadable_cost', 'odd_cost'];

export async function costChecks(pool: Pool, desk: ReportDesk, { from, to }: DayRange): Promise<CostChecks> {
  // The partition key is the click ID's UTC day; a local day reaches at most one UTC day to either side.
  const { rows } = await pool.query<CostChecks[number]>(
    `SELECT v.campaign_id AS "campaignId", coalesce(p.name, '') AS "campaignName", v.note, v.visits, v.example
     FROM (SELECT v.campaign_id, n.note, count(*)::int AS visits, max(v.id) AS example
       FROM visits v CROSS JOIN unnest($5::text[]) AS n (note)
       WHERE v.desk_id = $1 AND v.day BETWEEN $3::date - 1 AND $4::date + 1 AND v.notes <> '[]' AND v.notes ? n.note AND NOT v.is_test
         AND v.at >= ($3::date::timestamp AT TIME ZONE $2) AND v.at < (($4::date + 1)::timestamp AT TIME ZONE $2)
       GROUP BY 1, 2) v LEFT JOIN parts p ON p.id = v.campaign_id
     ORDER BY v.visits DESC, v.campaign_id, v.note LIMIT 100`,
    [desk.id, desk.zone, from, to, NOTES],
  );
  return rows;
}
