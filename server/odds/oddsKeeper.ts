/** The odds of automatic splits as they were computed last, in memory: a visit only draws by them. */
import type { Pool } from 'pg';
import type { ArmOdds } from '@tracheon/core/routing';
import type { OddsOf } from '../capture/sendable.ts';

export class OddsKeeper {
  private odds: ReadonlyMap<string, ReadonlyMap<string, number>> = new Map();

  constructor(private readonly pool: Pool) {}

  readonly of: OddsOf = (campaignId, pairingId) => this.odds.get(campaignId)?.get(pairingId);

  async load(): Promise<void> {
    const { rows } = await this.pool.query<{ campaignId: string; arms: ArmOdds[] }>(
      'SELECT campaign_id AS "campaignId", arms FROM split_odds',
    );
    const odds = new Map<string, Map<string, number>>();
    for (const { campaignId, arms } of rows) {
      const own = odds.get(campaignId) ?? new Map<string, number>();
      for (const arm of arms) own.set(arm.pairingId, arm.odds);
      odds.set(campaignId, own);
    }
    this.odds = odds;
  }
}
