/**
 * Where costs have to be settled again: kept in the index, in the transaction that takes in what makes it so, until it is done.
 */
import type { ConversionFact, VisitFact } from './facts.ts';
import type { CampaignCosts, CostGround, Stretch } from './costGround.ts';
import { clickNumbers } from './clickNumbers.ts';
import type { IndexFile } from './indexFile.ts';

export interface Unsettled extends Stretch {
  deskId: string;
  sourceId: string;
}
/** Stretches that are this near are settled together. */
const NEAR_MS = 3_600_000;

/** What newly taken facts make unsettled. */
export function unsettledBy(
  ground: CostGround,
  {
    visits,
    conversions,
    erased,
  }: {
    visits: readonly VisitFact[];
    conversions: readonly ConversionFact[];
    /** Click IDs of visits that have lost their sub-IDs. */
    erased: readonly string[];
  },
): (Stretch & { sourceId: string })[] {
  const found: (Stretch & { sourceId: string })[] = [];
  const add = (sourceId: string, at: number): void => void found.push({ sourceId, from: at, to: at + 1 });
  for (const v of visits) {
    const [sourceId, campaignId] = [String(v.source_id), String(v.campaign_id)];
    const isEntered = ground.entered.get(sourceId)?.some((s) => s.from <= v.at && v.at < s.to);
    const term = termAt(ground.campaigns.get(campaignId), v.at);
    if (isEntered || term?.isLater || term?.model === 'thousand') add(sourceId, v.at);
  }
  for (const c of conversions) {
    const term = termAt(ground.campaigns.get(String(c.campaign_id)), c.visit_at);
    if (term && term.model !== 'visit') add(String(c.source_id), c.visit_at);
  }
  for (const id of erased) {
    const [at] = clickNumbers(id);
    for (const [sourceId, stretches] of ground.entered)
      if (stretches.some((s) => s.from <= at && at < s.to)) add(sourceId, at);
  }
  return together(found);
}

/** Where the costs of these campaigns are not what their visits were stored with. */
export const stretchesOfCampaigns = (
  ground: CostGround,
  ids: readonly string[],
): (Stretch & { sourceId: string })[] =>
  ids.flatMap((id) => {
    const { terms, sourceIds } = ground.campaigns.get(id) ?? { terms: [], sourceIds: [] };
    return sourceIds.flatMap((sourceId) =>
      terms.map(({ from, to }) => ({ sourceId, from, to: Math.min(to, Date.now()) })),
    );
  });

export const termAt = (campaign: CampaignCosts | undefined, at: number) =>
  campaign?.terms.find((t) => t.from <= at && at < t.to);

/** Stretches of each source that overlap or are near each other, as one. */
export function together<S extends Stretch & { sourceId: string }>(all: readonly S[]): S[] {
  const made: S[] = [];
  for (const one of [...all].sort((a, b) =>
    a.sourceId === b.sourceId ? a.from - b.from : a.sourceId < b.sourceId ? -1 : 1,
  )) {
    const last = made.at(-1);
    if (last?.sourceId === one.sourceId && one.from <= last.to + NEAR_MS) last.to = Math.max(last.to, one.to);
    else made.push({ ...one });
  }
  return made;
}

/** Within the transaction that is open. */
export async function noteUnsettled(index: IndexFile, all: readonly Unsettled[]): Promise<void> {
  if (all.length > 0) index.hasUnsettled = true;
  for (const { deskId, sourceId, from, to } of all)
    await index.feeding.run(`INSERT INTO unsettled VALUES ($1, $2, ${Math.floor(from)}, ${Math.ceil(to)})`, [
      deskId,
      sourceId,
    ]);
}

/** All of them, together by source. */
export async function allUnsettled(index: IndexFile): Promise<Unsettled[]> {
  if (!index.hasUnsettled) return [];
  const rows = await index.rows<Unsettled>(
    `SELECT desk_id AS "deskId", source_id AS "sourceId", from_ms::DOUBLE AS "from", to_ms::DOUBLE AS "to" FROM unsettled`,
  );
  if (rows.length === 0) index.hasUnsettled = false;
  return [...new Set(rows.map((r) => r.deskId))].flatMap((deskId) =>
    together(rows.filter((r) => r.deskId === deskId)),
  );
}

/** Within the transaction that is open: what lies in a stretch is settled with it. */
export const forgetUnsettled = async (
  index: IndexFile,
  { deskId, sourceId, from, to }: Unsettled,
): Promise<unknown> =>
  index.feeding.run(
    `DELETE FROM unsettled WHERE desk_id = $1 AND source_id = $2 AND from_ms >= ${Math.floor(from)} AND to_ms <= ${Math.ceil(to)}`,
    [deskId, sourceId],
  );
