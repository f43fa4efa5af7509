/**
 * Which visits have converted in the last 30 days, in memory, for branches that ask for it. Loaded at the start, and again
 * whenever a conversion of any process is told of: only what changed since. Tests and conversions that were rejected or
 * reversed do not count. A failure leaves what was known; the next load brings the rest.
 */
import { setTimeout as pause } from 'node:timers/promises';
import type { Pool } from 'pg';
import { isCounted, sqlStatuses } from '@tracheon/core/contract';

const REMEMBERED_DAYS = 30;
const REMEMBERED_MS = REMEMBERED_DAYS * 86_400_000;
/** What is too old is no answer any more; it is taken out now and then, since that walks all of them. */
const FORGET_EVERY_MS = 3_600_000;
/** What transactions before it wrote can be seen by now. Of others some can be seen as well: they are loaded twice. */
const UNTIL = 'pg_snapshot_xmin(pg_current_snapshot())::text';
/** After a load nothing is loaded for so many times as long as it took, as long as this at the most. */
const REST = 9;
const MAX_PAUSE_MS = 5000;

const RECENT = `SELECT DISTINCT c.desk_id, c.owner FROM desks d JOIN conversions c ON c.desk_id = d.id
  AND c.converted_at > now() - interval '${REMEMBERED_DAYS} days'`;
/** Each change stands there once, with its transaction. */
const CHANGED = `SELECT DISTINCT c.desk_id, c.owner FROM fact_changes f JOIN conversions c ON c.id = f.subject_id
  WHERE f.kind = 'conversion' AND f.tx >= $1::xid8`;

export class ConvertedClicks {
  /** When each converted last, in ms since 1970, by click ID. */
  private readonly convertedMs = new Map<string, number>();
  /** The first transaction whose changes were not loaded; empty: nothing was loaded yet. */
  private since = '';
  private loading: Promise<void> | null = null;
  private isAsked = false;
  private forgotMs = 0;

  constructor(
    private readonly pool: Pool,
    private readonly now: () => number,
  ) {}

  readonly has = (clickId: string): boolean => {
    const at = this.convertedMs.get(clickId);
    return at !== undefined && at > this.now() - REMEMBERED_MS;
  };

  /** What is told of while a load runs is loaded after it, once. */
  async load(): Promise<void> {
    this.isAsked = true;
    this.loading ??= (async () => {
      while (this.isAsked) {
        this.isAsked = false;
        const began = performance.now();
        await this.loadChanged();
        // While a file is imported each load brings thousands: they come further apart, so that a tenth of the time is theirs.
        if (this.isAsked) await pause(Math.min(MAX_PAUSE_MS, REST * (performance.now() - began)));
      }
    })().finally(() => (this.loading = null));
    await this.loading;
  }

  private async loadChanged(): Promise<void> {
    const isFirst = this.since === '';
    const { rows } = await this.pool.query<{ clickId: string | null; ms: number | null; until: string }>(
      `WITH changed AS (${isFirst ? RECENT : CHANGED})
       SELECT NULL AS "clickId", NULL::float8 AS ms, ${UNTIL} AS until
       UNION ALL
       SELECT c.click_id, extract(epoch FROM max(c.converted_at) FILTER (WHERE c.status IN (${sqlStatuses(isCounted)})
         AND (e.body->>'countsAsConversion')::boolean)) * 1000, ''
       FROM changed JOIN conversions c USING (desk_id, owner) JOIN parts e ON e.id = c.event_type_id
       WHERE NOT c.is_test AND c.click_id <> '' GROUP BY c.click_id`,
      isFirst ? [] : [this.since],
    );
    for (const { clickId, ms, until } of rows) {
      if (clickId === null) this.goOnFrom(until);
      else if (ms === null) this.convertedMs.delete(clickId);
      else this.convertedMs.set(clickId, ms);
    }
    this.forgetOld();
  }

  private goOnFrom(until: string): void {
    // Another database stands behind the same address, such as a backup: all of it is loaded.
    const isOther = this.since !== '' && BigInt(until) < BigInt(this.since);
    this.since = isOther ? '' : until;
    if (isOther) this.isAsked = true;
  }

  private forgetOld(): void {
    const now = this.now();
    if (Math.abs(now - this.forgotMs) < FORGET_EVERY_MS) return;
    this.forgotMs = now;
    const oldest = now - REMEMBERED_MS;
    for (const [clickId, ms] of this.convertedMs) if (ms <= oldest) this.convertedMs.delete(clickId);
  }
}
