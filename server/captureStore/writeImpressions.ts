/** Adds what was counted to the counters; what the database does not take is counted again next time. */
import type { Pool } from 'pg';
import type { Impressions } from '../capture/impressions.ts';

export async function writeImpressions(pool: Pool, impressions: Impressions): Promise<void> {
  const counts = impressions.take();
  if (counts.length === 0) return;
  try {
    await pool.query(
      `INSERT INTO impressions (desk_id, campaign_id, quarter, sub, value, times)
       SELECT * FROM unnest($1::text[], $2::text[], $3::timestamptz[], $4::text[], $5::text[], $6::int8[]) ORDER BY 1, 2, 3, 4, 5
       ON CONFLICT (desk_id, campaign_id, quarter, sub, value) DO UPDATE SET times = impressions.times + excluded.times`,
      [
        counts.map((c) => c.deskId),
        counts.map((c) => c.campaignId),
        counts.map((c) => new Date(c.quarterMs)),
        counts.map((c) => c.sub),
        counts.map((c) => c.value),
        counts.map((c) => c.times),
      ],
    );
  } catch (error) {
    for (const c of counts) impressions.add(c);
    throw error;
  }
}
