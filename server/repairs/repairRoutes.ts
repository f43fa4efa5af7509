/** Needs repair: groups, what a fix would do, the run that does it, and its undoing. */
import { ulid } from 'ulid';
import { partInputs, type PartRecord } from '@tracheon/core/contract';
import { fixWords, withFix, withoutFix } from '@tracheon/core/conversions';
import { clickIdDay } from '@tracheon/core/identity';
import type { Pool } from 'pg';
import { deskOf } from '../accounts/deskOf.ts';
import { inPipeline } from '../db/pools.ts';
import { clickIdOfPath } from '../http/clickIdOfPath.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { judgeWithin } from '../intake/judgeWithin.ts';
import { loadReceipt } from '../intake/sweeper.ts';
import { findPart, type Editor } from '../parts/partRecords.ts';
import { updatePart } from '../parts/partsStore.ts';
import { parseInput, Problem } from '../problems/problem.ts';
import { listBatches, oneBatch, setBatchState, type BatchRow, type RepairSettings } from './batches.ts';
import { claim } from './claim.ts';
import { groupValues, ofGroup, repairGroups, type GroupName } from './repairGroups.ts';
import { previewRepair, tryReading } from './repairTrial.ts';

export interface Repairs {
  /** Opened with `pipeline`. */
  judging: Pool;
}

export function repairRoutes(mount: Mount, deps: ApiGround & Repairs): void {
  const { pool, judging, models, news, now } = deps;
  const changed = (deskId: string): void =>
    news.tell(deskId, 'postbacks-in', 'conversions', 'postbacks-out', 'parts');
  mount('repairGroups', async ({ signed: { deskId } }) => repairGroups(pool, await deskOf(models, deskId)));
  mount('previewRepair', async ({ signed: { deskId }, body }) =>
    previewRepair({ pool, judging, now }, await deskOf(models, deskId), body),
  );
  mount('repairGroup', async ({ signed, body }) => {
    const by: Editor = { deskId: signed.deskId, memberId: signed.memberId };
    const network = (await findPart(models, by.deskId, 'network', body.networkId)) as PartRecord<'network'>;
    // Before the network is changed for nothing.
    if (!(await hasSome(pool, by.deskId, body))) throw new Problem('nothing_to_repair');
    const fixed = withFix(network.body, body.fix);
    if (JSON.stringify(fixed) !== JSON.stringify(network.body))
      await updatePart(models, by, 'network', network.id, network.version, fixed);
    const types = await models.Part.findAll({ where: { deskId: by.deskId, kind: 'event-type' } });
    const eventName = (id: string): string => types.find((t) => t.get().id === id)?.get().name ?? id;
    const id = ulid();
    const settings: RepairSettings = {
      fix: body.fix,
      before: network.body,
      reportSinceMs: body.reportDays === null ? null : now() - body.reportDays * DAY_MS,
      wereHeld: body.outcome === 'held',
    };
    const words = fixWords(network.body.name, body.fix, eventName);
    await claim(pool, by, body, { id, words, settings });
    changed(by.deskId);
    return oneBatch(pool, by.deskId, id);
  });
  mount('setAsideGroup', async ({ signed: { deskId }, body }) => {
    const { rowCount } = await pool.query(
      `UPDATE outcomes o SET outcome = 'set_aside', set_aside_reason = $6 WHERE ${ofGroup(2)}`,
      [deskId, ...groupValues(body), body.why],
    );
    changed(deskId);
    return { changed: rowCount ?? 0 };
  });
  mount('tryPostback', async ({ signed: { deskId }, id }) => {
    const receiptId = clickIdOfPath(id);
    const receipt = await loadReceipt(pool, deskId, receiptId, clickIdDay(receiptId));
    if (!receipt) throw new Problem('not_found');
    const again = { ...receipt, id: ulid(), receivedMs: now() };
    const [said] = await inPipeline(judging, (client) => judgeWithin(client, [again]), { isTrial: true });
    return said!;
  });
  mount('tryReading', async ({ signed: { deskId }, id, body }) =>
    tryReading(pool, deskId, id, parseInput(partInputs.network, body.body)),
  );
  mount('listBatches', ({ signed: { deskId } }) => listBatches(pool, deskId));
  mount('receiptBatch', ({ signed: { deskId }, id }) => oneBatch(pool, deskId, id));
  mount('stopBatch', async ({ signed: { deskId }, id }) => {
    await setBatchState(pool, deskId, id, ['running'], 'stopped');
    return oneBatch(pool, deskId, id);
  });
  mount('resumeBatch', async ({ signed: { deskId }, id }) => {
    await setBatchState(pool, deskId, id, ['stopped'], 'running');
    return oneBatch(pool, deskId, id);
  });
  mount('undoBatch', async ({ signed, id }) => {
    const { deskId, memberId } = signed;
    await undo(deps, { deskId, memberId }, id);
    changed(deskId);
    return oneBatch(pool, deskId, id);
  });
}
const DAY_MS = 86_400_000;

async function hasSome(pool: Pool, deskId: string, group: GroupName): Promise<boolean> {
  const { rows } = await pool.query(`SELECT 1 FROM outcomes o WHERE ${ofGroup(2)} LIMIT 1`, [
    deskId,
    ...groupValues(group),
  ]);
  return rows.length > 0;
}

/**
 * The network's change is taken back first, so that what is judged again is read without it; when that is refused, nothing
 * else is done.
 */
async function undo({ pool, models }: ApiGround, by: Editor, id: string): Promise<void> {
  const { rows } = await pool.query<BatchRow>(
    'SELECT * FROM receipt_batches WHERE desk_id = $1 AND id = $2',
    [by.deskId, id],
  );
  const batch = rows[0];
  if (!batch) throw new Problem('not_found');
  const refused = (): Problem =>
    new Problem('not_undoable', {
      detail:
        batch.kind === 'statement'
          ? 'A statement books nothing by itself. Undo the import that booked its rows.'
          : batch.state === 'undone'
            ? 'It has been undone.'
            : 'It still runs. Stop it first.',
    });
  if (batch.kind === 'statement' || !UNDOABLE.includes(batch.state)) throw refused();
  if (batch.kind === 'repair') await takeBackFix(models, by, batch);
  if (!(await setBatchState(pool, by.deskId, id, UNDOABLE, 'undoing'))) throw refused();
}
const UNDOABLE: readonly BatchRow['state'][] = ['done', 'stopped'];

async function takeBackFix(models: ApiGround['models'], by: Editor, batch: BatchRow): Promise<void> {
  const { fix, before } = batch.settings as RepairSettings;
  const network = (await findPart(models, by.deskId, 'network', batch.network_id)) as PartRecord<'network'>;
  const restored = withoutFix(network.body, fix, before);
  if (JSON.stringify(restored) !== JSON.stringify(network.body))
    await updatePart(models, by, 'network', network.id, network.version, restored);
}
