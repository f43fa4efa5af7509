/** Shared routings: listed, begun from a campaign, renamed, deleted. */
import type { PartRecord } from '@tracheon/core/contract';
import { bumpConfiguration, inTransaction } from '../db/transaction.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { findPart } from './partRecords.ts';
import { updateWithin } from './partsStore.ts';
import { listShared, makeShared, removeShared, renameShared } from './sharedRoutings.ts';

export function sharedRoutingRoutes(mount: Mount, { models, news }: ApiGround): void {
  mount('listSharedRoutings', ({ signed: { deskId } }) => listShared({ models, deskId }));
  mount('shareRouting', async ({ signed, body }) => {
    const { deskId } = signed;
    const campaign = (await findPart(models, deskId, 'campaign', body.campaignId)) as PartRecord<'campaign'>;
    const row = await inTransaction(models, async (transaction) => {
      const made = await makeShared(
        { models, deskId, transaction },
        body.name,
        campaign,
        (id, version, next) => updateWithin(models, signed, 'campaign', id, version, next, transaction),
      );
      await bumpConfiguration(models, deskId, transaction);
      return made;
    });
    news.tell(deskId, 'parts');
    return row;
  });
  mount('renameSharedRouting', async ({ signed: { deskId }, id, body }) => {
    const row = await renameShared({ models, deskId }, id, body.name);
    news.tell(deskId, 'parts');
    return row;
  });
  mount('removeSharedRouting', async ({ signed: { deskId }, id }) => {
    await inTransaction(models, (transaction) => removeShared({ models, deskId, transaction }, id));
    news.tell(deskId, 'parts');
    return {};
  });
}
