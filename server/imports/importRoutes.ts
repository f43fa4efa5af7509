/** Conversions out of a file: uploaded, mapped, tried, started. */
import type { NetworkInput } from '@tracheon/core/contract';
import { deskOf } from '../accounts/deskOf.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { findPart } from '../parts/partRecords.ts';
import { Problem } from '../problems/problem.ts';
import { oneBatch, type BatchRow } from '../repairs/batches.ts';
import type { Repairs } from '../repairs/repairRoutes.ts';
import { notCarried, startCarryOver, tryCarryOver } from './carriedRun.ts';
import { draft, failedRows, saveSettings, upload } from './importStore.ts';
import { tryImport } from './importTrial.ts';
import { readToTheEnd } from './readToTheEnd.ts';

export function importRoutes(mount: Mount, { pool, judging, models, news, now }: ApiGround & Repairs): void {
  const network = async (deskId: string, id: string) => {
    const { body } = await findPart(models, deskId, 'network', id);
    return { id, body: body as NetworkInput };
  };
  mount('uploadImport', async ({ signed: { deskId, memberId }, query, req }) => {
    const chosen = query.network === '' ? null : await network(deskId, query.network);
    const { zone } = await deskOf(models, deskId);
    const given = { fileName: query.name, network: chosen, zone };
    const source = (req as AsyncIterable<Buffer>)[Symbol.asyncIterator]();
    return upload(pool, { deskId, memberId }, given, { [Symbol.asyncIterator]: () => source }).catch(
      async (error: unknown) => {
        await readToTheEnd(source);
        throw error;
      },
    );
  });
  mount('importDraft', ({ signed: { deskId }, id }) => draft(pool, deskId, id));
  mount('mapImport', async ({ signed: { deskId }, id, body }) => {
    await network(deskId, body.networkId);
    await saveSettings(pool, deskId, id, body);
    return draft(pool, deskId, id);
  });
  mount('tryImport', async ({ signed: { deskId }, id, body }) => {
    await network(deskId, body.networkId);
    await saveSettings(pool, deskId, id, body);
    const { rows } = await pool.query<BatchRow>(
      'SELECT * FROM receipt_batches WHERE desk_id = $1 AND id = $2',
      [deskId, id],
    );
    if (!rows[0]) throw new Problem('not_found');
    return tryImport({ pool, judging, now }, rows[0]);
  });
  mount('runImport', async ({ signed: { deskId }, id, body }) => {
    await network(deskId, body.networkId);
    await saveSettings(pool, deskId, id, body, 'running');
    news.tell(deskId, 'postbacks-in');
    return oneBatch(pool, deskId, id);
  });
  mount('failedRows', ({ signed: { deskId }, id }) => failedRows(pool, deskId, id));
  mount('tryCarryOver', ({ signed: { deskId }, id, body }) => tryCarryOver(pool, deskId, id, body));
  mount('carryOver', async ({ signed: { deskId }, id, body }) => {
    await startCarryOver(pool, deskId, id, body);
    news.tell(deskId, 'postbacks-in');
    return oneBatch(pool, deskId, id);
  });
  mount('notCarried', ({ signed: { deskId }, id }) => notCarried(pool, deskId, id));
}
