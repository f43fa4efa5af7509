/** A campaign whose cost has changed leaves its trace for what is derived from costs. */
import type { Transaction } from 'sequelize';
import type { CampaignInput } from '@tracheon/core/contract';
import { factChange } from '../db/factChanges.ts';
import type { Models } from '../db/models.ts';

/** Visits are stored before anything of such a cost is known, or with another one. */
const isLate = (of: Partial<CampaignInput> | undefined): boolean =>
  ['thousand', 'conversion', 'share'].includes(of?.costModel ?? '') || (of?.costSince ?? '') !== '';

/**
 * Within the transaction that saves the version; not when its costs are those of the version before, nor where visits are
 * stored with what they cost.
 */
export async function noteCostChange(
  models: Models,
  { deskId, id, version, body }: { deskId: string; id: string; version: number; body: CampaignInput },
  transaction: Transaction,
): Promise<void> {
  const { costModel, costMicros, costCurrency, costShare, costEventTypeId, costSince } = body;
  const before = await models.PartVersion.findOne({
    where: { partId: id, version: version - 1 },
    transaction,
  });
  const old = before?.get().body as Partial<CampaignInput> | undefined;
  const now = { costModel, costMicros, costCurrency, costShare, costEventTypeId, costSince };
  const isSame = old && Object.entries(now).every(([name, value]) => old[name as keyof typeof now] === value);
  if (isSame || !(isLate(body) || isLate(old))) return;
  const [text, bind] = factChange({
    deskId,
    kind: 'cost',
    subjectId: id,
    day: new Date().toISOString().slice(0, 10),
    old: null,
    new: now,
  });
  await models.sequelize.query(text, { bind, transaction });
}
