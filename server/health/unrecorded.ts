/**
 * Visits that were sent on and kept nowhere, and postbacks in that were answered 503: counted in memory by part and hour,
 * and written as soon as the database is back, so that the desk still says so after a restart. A kill in between loses
 * the counts since the last write; the log has each.
 */
import type { Pool } from 'pg';
import type { RowKind } from './health.ts';

const HOUR_MS = 3_600_000;

interface Counted {
  deskId: string;
  partId: string;
  kind: RowKind;
  hour: string;
  times: number;
}

export class Unrecorded {
  private counts = new Map<string, Counted>();

  count(kind: RowKind, deskId: string, partId: string, atMs: number, times = 1): void {
    const hour = new Date(Math.floor(atMs / HOUR_MS) * HOUR_MS).toISOString();
    const key = [kind, deskId, partId, hour].join('|');
    const there = this.counts.get(key);
    if (there) there.times += times;
    else this.counts.set(key, { deskId, partId, kind, hour, times });
  }

  /** Rejects, and keeps the counts, when the database does not take them. */
  async flush(pool: Pool): Promise<void> {
    if (this.counts.size === 0) return;
    const batch = this.counts;
    this.counts = new Map();
    try {
      await pool.query(
        `INSERT INTO unrecorded (desk_id, part_id, kind, hour, times)
         SELECT * FROM unnest($1::text[], $2::text[], $3::text[], $4::timestamptz[], $5::int8[])
         ON CONFLICT (desk_id, part_id, kind, hour) DO UPDATE SET times = unrecorded.times + excluded.times`,
        (['deskId', 'partId', 'kind', 'hour', 'times'] as const).map((f) =>
          [...batch.values()].map((c) => c[f]),
        ),
      );
    } catch (error) {
      for (const c of batch.values()) this.count(c.kind, c.deskId, c.partId, Date.parse(c.hour), c.times);
      throw error;
    }
  }
}
