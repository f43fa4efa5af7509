/** Which link stands in which source: ticked off when it was pasted, asked for again when the source's parameters change. */
import type { PastedLink } from '@tracheon/core/contract';
import { memberNames } from '../db/memberNames.ts';
import type { Models } from '../db/models.ts';
import { Problem } from '../problems/problem.ts';

export async function listPasted(models: Models, deskId: string): Promise<PastedLink[]> {
  const rows = (await models.PastedLink.findAll({ where: { deskId }, order: ['pastedAt'] })).map((r) =>
    r.get(),
  );
  const nameOf = await memberNames(
    models,
    rows.map((r) => r.pastedBy),
  );
  return rows.map(({ campaignId, query, pastedAt, pastedBy }) => ({
    campaignId,
    query,
    pastedAt: pastedAt.toISOString(),
    pastedBy: nameOf(pastedBy),
  }));
}

export async function tickPasted(
  models: Models,
  by: { deskId: string; memberId: string },
  campaignId: string,
  query: string,
): Promise<void> {
  const { deskId } = by;
  if ((await models.Part.count({ where: { id: campaignId, deskId, kind: 'campaign' } })) === 0)
    throw new Problem('not_found');
  await models.PastedLink.upsert({
    campaignId,
    deskId,
    query,
    pastedBy: by.memberId,
    pastedAt: new Date(),
  });
}
