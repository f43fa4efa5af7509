/** Which costs have to be settled, and when: the ground of each desk kept in memory, and a pace that leaves the feed its time. */
import type { Pool } from 'pg';
import { loadCostGround, type CostGround, type Stretch } from './costGround.ts';
import type { IndexFile } from './indexFile.ts';
import { settleCosts } from './settleCosts.ts';
import { allUnsettled, noteUnsettled, type Unsettled } from './unsettled.ts';
import { inTransaction } from './indexTransaction.ts';

/** Settling takes at most one part in so many of the time: where visits keep coming under a large entry, it waits longer. */
const PAUSE_TIMES = 4;
const LOOK_AT_IMPRESSIONS_MS = 60_000;
/** Fees of sources and kinds of event types change without a trace here. */
const GROUND_MS = 60_000;
const DAY_MS = 86_400_000;

export class CostWatch {
  private readonly grounds = new Map<string, { ground: CostGround | null; at: number }>();
  private readonly nextAt = new Map<string, number>();
  private readonly seen = new Map<string, string>();
  private lookAt = 0;

  constructor(private readonly pool: Pool) {}

  async groundOf(deskId: string): Promise<CostGround | null> {
    const kept = this.grounds.get(deskId);
    if (kept && Date.now() - kept.at < GROUND_MS) return kept.ground;
    const ground = await loadCostGround(this.pool, deskId);
    this.grounds.set(deskId, { ground, at: Date.now() });
    return ground;
  }
  /** Something of it has changed. */
  forget(deskId: string): void {
    this.grounds.delete(deskId);
  }

  /** Settles what it is time for. Returns the desks whose costs it settled. */
  async settleDue(index: IndexFile): Promise<string[]> {
    if (Date.now() >= this.lookAt) await this.lookAtImpressions(index);
    const settled: string[] = [];
    for (const one of await allUnsettled(index)) {
      if (Date.now() < (this.nextAt.get(one.deskId) ?? 0)) continue;
      const began = Date.now();
      await this.settle(index, one);
      this.nextAt.set(one.deskId, Date.now() + PAUSE_TIMES * (Date.now() - began));
      settled.push(one.deskId);
    }
    return settled;
  }

  private async settle(index: IndexFile, one: Unsettled, signal?: AbortSignal): Promise<void> {
    const ground = await this.groundOf(one.deskId);
    if (ground) await settleCosts(this.pool, index, ground, one, signal);
  }

  /** Everything of a new index. */
  async settleAll(index: IndexFile, signal: AbortSignal): Promise<void> {
    for (const deskId of index.deskIds) {
      const ground = await this.groundOf(deskId);
      for (const one of ground ? stretchesOf(ground) : [])
        await this.settle(index, { deskId, ...one }, signal);
    }
  }

  /** Impressions are counted in place, and leave no trace that could be followed. */
  private async lookAtImpressions(index: IndexFile): Promise<void> {
    this.lookAt = Date.now() + LOOK_AT_IMPRESSIONS_MS;
    const from = Date.now() - 2 * DAY_MS;
    for (const deskId of index.deskIds) {
      const campaigns = [...((await this.groundOf(deskId))?.campaigns.values() ?? [])].filter((c) =>
        c.terms.some((t) => t.model === 'thousand' && t.to > from),
      );
      for (const { id, sourceIds } of campaigns) {
        const { rows } = await this.pool.query<{ times: string }>(
          `SELECT coalesce(sum(times), 0)::text AS times FROM impressions
           WHERE desk_id = $1 AND campaign_id = $2 AND sub = '' AND quarter >= to_timestamp($3::float8 / 1000)`,
          [deskId, id, from],
        );
        const { times } = rows[0]!;
        if (this.seen.get(id) === times) continue;
        this.seen.set(id, times);
        await inTransaction(index.feeding, () =>
          noteUnsettled(
            index,
            sourceIds.map((sourceId) => ({ deskId, sourceId, from, to: Date.now() })),
          ),
        );
      }
    }
  }
}

/** All that can be settled, by source. */
export function stretchesOf(ground: CostGround): (Stretch & { sourceId: string })[] {
  const all: (Stretch & { sourceId: string })[] = [];
  for (const [sourceId, stretches] of ground.entered)
    for (const stretch of stretches) all.push({ sourceId, ...stretch });
  for (const { sourceIds, terms } of ground.campaigns.values())
    for (const sourceId of sourceIds) for (const { from, to } of terms) all.push({ sourceId, from, to });
  return all;
}
