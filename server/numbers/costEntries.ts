/** The entries that decide about a stretch of time: of what sources billed, and what impressions cost by a campaign's model. */
import type { Pool } from 'pg';
import type { CostEntry } from '@tracheon/core/costs';
import { dayStart, localDay, shiftDay } from '@tracheon/core/time';
import {
  entriesWithin,
  impressionsWithin,
  type CampaignCosts,
  type CostGround,
  type Stretch,
} from './costGround.ts';
import { termAt, type Unsettled } from './unsettled.ts';

/** Entries outside of these years are slips that no visit can be near of. */
export const [FIRST_MS, LAST_MS] = [0, 4_102_444_800_000];

/** Entries that reach into the stretch, and the stretch that they all lie in. */
export async function entriesAround(
  pool: Pool,
  ground: CostGround,
  { deskId, sourceId }: Unsettled,
  within: Stretch,
): Promise<{ entries: CostEntry[]; stretch: Stretch }> {
  let stretch = wholeDays(ground, sourceId, within);
  for (;;) {
    const found = await entriesWithin(pool, deskId, sourceId, stretch);
    const all = [stretch, ...found];
    const wider = wholeDays(ground, sourceId, {
      from: Math.max(FIRST_MS, Math.min(...all.map((s) => s.from))),
      to: Math.min(LAST_MS, Math.max(...all.map((s) => s.to))),
    });
    if (wider.from === stretch.from && wider.to === stretch.to)
      return {
        entries: [...found, ...(await modelEntries(pool, ground, deskId, sourceId, stretch))],
        stretch,
      };
    stretch = wider;
  }
}

const thousands = (ground: CostGround, sourceId: string): CampaignCosts[] =>
  [...ground.campaigns.values()].filter(
    (c) => c.sourceIds.includes(sourceId) && c.terms.some((t) => t.model === 'thousand'),
  );

/** Costs of impressions are those of whole days. */
function wholeDays(ground: CostGround, sourceId: string, { from, to }: Stretch): Stretch {
  if (thousands(ground, sourceId).length === 0) return { from, to };
  const { zone } = ground;
  return {
    from: dayStart(localDay(from, zone), zone),
    to: dayStart(shiftDay(localDay(to - 1, zone), 1), zone),
  };
}

/** What the impressions of each day cost, by the model; spread like an entry of that day. */
async function modelEntries(
  pool: Pool,
  ground: CostGround,
  deskId: string,
  sourceId: string,
  stretch: Stretch,
): Promise<CostEntry[]> {
  const campaigns = thousands(ground, sourceId);
  const seen = await impressionsWithin(
    pool,
    deskId,
    campaigns.map((c) => c.id),
    stretch,
  );
  const { zone } = ground;
  const days = new Map<string, CostEntry>();
  for (const { campaignId, at, times } of seen) {
    const term = termAt(ground.campaigns.get(campaignId), at);
    if (term?.model !== 'thousand') continue;
    const day = localDay(at, zone);
    const key = [campaignId, day, term.micros, term.currency].join('|');
    const entry: CostEntry = days.get(key) ?? {
      id: key,
      channel: 'model',
      amount: 0n,
      isCredit: false,
      currency: term.currency,
      feePercent: ground.sources.get(sourceId)?.feePercent ?? 0n,
      // Of a day on which the price changed, only the part in which it held.
      from: Math.max(dayStart(day, zone), term.from),
      to: Math.min(dayStart(shiftDay(day, 1), zone), term.to),
      order: 0,
      campaignId,
      accountId: '',
      subs: {},
    };
    // In thousandths until all of the day is there.
    days.set(key, { ...entry, amount: entry.amount + term.micros * BigInt(times) });
  }
  return [...days.values()].map((e) => ({ ...e, amount: (e.amount + 500n) / 1000n }));
}
