/** Offers whose postbacks stay away: what a watch finds where visits go to them may be conversions that nobody has told. */
import type { Pool } from 'pg';
import { wholeBody, type WatchInput } from '@tracheon/core/contract';
import { offersOf } from '@tracheon/core/routing';

export interface SilentOffers {
  /** What a signal watch says of each, by its ID. */
  silent: ReadonlyMap<string, string>;
  campaigns: readonly { id: string; sourceId: string; offers: readonly string[] }[];
}
export const noSilence: SilentOffers = { silent: new Map(), campaigns: [] };

export async function silentOffers(pool: Pool, deskId: string): Promise<SilentOffers> {
  const { rows } = await pool.query<{ subject: string; sentence: string }>(
    `SELECT subject, sentence FROM signal_findings WHERE desk_id = $1 AND kind = 'no_postbacks' AND ended_at IS NULL`,
    [deskId],
  );
  if (rows.length === 0) return noSilence;
  const campaigns = await pool.query<{ id: string; body: unknown }>(
    `SELECT id, body FROM parts WHERE desk_id = $1 AND kind = 'campaign' AND state <> 'archived'`,
    [deskId],
  );
  return {
    silent: new Map(rows.map((r) => [r.subject, r.sentence])),
    campaigns: campaigns.rows.map(({ id, body }) => {
      const campaign = wholeBody('campaign', body);
      return { id, sourceId: campaign.sourceId, offers: offersOf(campaign) };
    }),
  };
}

/** Why a watch asks about this value instead of acting; empty: its postbacks come. */
export function silenceOf(
  { silent, campaigns }: SilentOffers,
  { subject, sourceId, campaignId }: Pick<WatchInput, 'subject' | 'sourceId' | 'campaignId'>,
  value: string,
): string {
  if (silent.size === 0) return '';
  if (subject === 'offer_id') return silent.get(value) ?? '';
  const meant = campaigns.filter(
    (c) =>
      (sourceId === '' || c.sourceId === sourceId) &&
      (campaignId === '' || c.id === campaignId) &&
      (subject !== 'campaign_id' || c.id === value) &&
      (subject !== 'source_id' || c.sourceId === value),
  );
  const offer = meant.flatMap((c) => c.offers).find((id) => silent.has(id));
  return offer === undefined ? '' : silent.get(offer)!;
}
