/**
 * How conversions were decided: approved, rejected, taken back again, and how long each took. By the day of the conversion
 * in its network's time zone, since the network's own books have those days. Tests are left out.
 */
import type { Pool } from 'pg';
import type { DecisionRow, DecisionsReport, DecisionSubject } from '@tracheon/core/contract';
import type { DayRange } from '@tracheon/core/time';

const SUBJECT: Record<DecisionSubject, string> = {
  offer: 'c.offer_id',
  source: 'c.source_id',
  network: 'c.network_id',
};

/**
 * The decision is the last booking of a conversion that was on hold once: its moment is that of the receipt, as the network
 * dates the change, else when it came. `GROUPING` tells the whole period from its weeks, so that medians are exact for both.
 */
const question = (by: DecisionSubject): string => `
WITH found AS (
  SELECT ${SUBJECT[by]} AS subject, c.status, c.converted_at, c.visit_at, c.partner_id = '' AS has_visit,
    (c.converted_at AT TIME ZONE coalesce(nullif(n.body->>'zone', ''), $2))::date AS day,
    CASE WHEN c.status <> 'pending' THEN (
      SELECT coalesce(to_timestamp((o.reading->>'changedTime')::float8 / 1000), o.received_at)
      FROM ledger l JOIN outcomes o ON o.desk_id = l.desk_id AND o.receipt_id = l.receipt_id
      WHERE l.desk_id = c.desk_id AND l.conversion_id = c.id
        AND EXISTS (SELECT 1 FROM ledger h WHERE h.desk_id = c.desk_id AND h.conversion_id = c.id AND h.kind = 'hold')
      ORDER BY l.id DESC LIMIT 1) END AS decided_at
  FROM conversions c JOIN parts n ON n.id = c.network_id
  WHERE c.desk_id = $1 AND NOT c.is_test
    AND c.converted_at >= ($3::date - 1)::timestamp AND c.converted_at < ($4::date + 2)::timestamp)
SELECT subject, date_trunc('week', day)::date::text AS week, GROUPING(date_trunc('week', day)) AS is_whole,
  count(*)::int AS conversions,
  count(*) FILTER (WHERE status = 'approved')::int AS approved,
  count(*) FILTER (WHERE status = 'rejected')::int AS rejected,
  count(*) FILTER (WHERE status = 'reversed')::int AS reversed,
  count(*) FILTER (WHERE status = 'pending')::int AS pending,
  percentile_cont(0.5) WITHIN GROUP (ORDER BY CASE WHEN has_visit THEN greatest(extract(epoch FROM converted_at - visit_at), 0) END)::float8 / 3600 AS "hoursToConvert",
  percentile_cont(0.5) WITHIN GROUP (ORDER BY CASE WHEN decided_at IS NOT NULL THEN greatest(extract(epoch FROM decided_at - converted_at), 0) END)::float8 / 3600 AS "hoursToDecide"
FROM found WHERE day BETWEEN $3::date AND $4::date
GROUP BY GROUPING SETS ((subject), (subject, date_trunc('week', day))) ORDER BY 2`;

type Row = Omit<DecisionRow, 'id' | 'name' | 'weeks'> & {
  subject: string;
  week: string | null;
  is_whole: number;
};

export async function decisionsReport(
  pool: Pool,
  desk: { id: string; zone: string },
  by: DecisionSubject,
  { from, to }: DayRange,
): Promise<DecisionsReport> {
  const { rows } = await pool.query<Row>(question(by), [desk.id, desk.zone, from, to]);
  const names = await pool.query<{ id: string; name: string }>(
    'SELECT id, name FROM parts WHERE desk_id = $1 AND id = ANY ($2)',
    [desk.id, [...new Set(rows.map((r) => r.subject))]],
  );
  const nameOf = new Map(names.rows.map((n) => [n.id, n.name]));
  const whole = rows.filter((r) => r.is_whole === 1);
  return {
    from,
    to,
    rows: whole
      .map(({ subject, week: _, is_whole: _w, ...sums }) => ({
        id: subject,
        name: nameOf.get(subject) ?? '',
        ...sums,
        weeks: rows
          .filter((r) => r.subject === subject && r.is_whole === 0)
          .map(({ subject: _s, is_whole: _i, week, ...of }) => ({ week: week!, ...of })),
      }))
      .sort((a, b) => b.conversions - a.conversions || (a.name < b.name ? -1 : 1)),
  };
}
