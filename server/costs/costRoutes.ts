/** Costs: added by hand, loaded from files, undone; and visits whose cost wants a look. */
import { deskOf } from '../accounts/deskOf.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { readToTheEnd } from '../imports/readToTheEnd.ts';
import { costChecks } from './costChecks.ts';
import { loadCostFile, tryCostFile } from './costFiles.ts';
import { costFileDraftOf, dropCostFile, uploadCostFile } from './costUpload.ts';
import { addByHand, listEntries, listLoads, oneLoad, setState } from './costStore.ts';

export function costRoutes(mount: Mount, { pool, models }: ApiGround): void {
  mount('listCosts', ({ signed: { deskId }, query }) => listLoads(pool, { ...query, deskId }));
  mount('costEntries', ({ signed: { deskId }, query, id }) => listEntries(pool, { ...query, deskId }, id));
  mount('addCost', ({ signed, body }) => addByHand(pool, signed, body));
  mount('undoCost', async ({ signed, id }) => {
    await setState(pool, signed, id, { from: 'done', to: 'undone' });
    return oneLoad(pool, signed.deskId, id);
  });
  mount('restoreCost', async ({ signed, id }) => {
    await setState(pool, signed, id, { from: 'undone', to: 'done' });
    return oneLoad(pool, signed.deskId, id);
  });
  mount('costChecks', async ({ signed, query }) =>
    costChecks(pool, await deskOf(models, signed.deskId), query),
  );
  mount('uploadCostFile', async ({ signed, query, req }) => {
    const source = (req as AsyncIterable<Buffer>)[Symbol.asyncIterator]();
    const given = { fileName: query.name, sourceId: query.source };
    return uploadCostFile(pool, signed, given, { [Symbol.asyncIterator]: () => source }).catch(
      async (error: unknown) => {
        await readToTheEnd(source);
        throw error;
      },
    );
  });
  mount('costFileDraft', ({ signed: { deskId }, id }) => costFileDraftOf(pool, deskId, id));
  mount('tryCostFile', ({ signed: { deskId }, id, body }) => tryCostFile(pool, deskId, id, body));
  mount('loadCostFile', ({ signed, id, body }) => loadCostFile(pool, signed, id, body));
  mount('dropCostFile', async ({ signed: { deskId }, id }) => {
    await dropCostFile(pool, deskId, id);
    return {};
  });
}
