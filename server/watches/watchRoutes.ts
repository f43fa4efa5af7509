/** Watches: written, tried, switched on; their findings decided on; notices read. */
import type { Pool } from 'pg';
import type { WatchFinding } from '@tracheon/core/contract';
import { meets, seenOf } from '@tracheon/core/watches';
import { inTransaction } from '../db/transaction.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { NumbersClient } from '../numbers/numbersClient.ts';
import { DryRuns } from './dryRuns.ts';
import { decideFinding } from './decideFinding.ts';
import { look, lookFor } from './askWatch.ts';
import { ownFormulas } from './ownFormulas.ts';
import { listNotices } from '../notices/noticeStore.ts';
import { CHECK_WATCHES } from './watchJobs.ts';
import { findingsToDecide, historyOf, listWatches, removeWatch, saveWatch } from './watchStore.ts';

/** Of a trial; the costliest ones. */
const SHOWN_FOUND = 50;

export function watchRoutes(mount: Mount, { pool, models, config, news, now, runSoon }: ApiGround): void {
  const numbers = new NumbersClient(config.dataFolder);
  const dryRuns = new DryRuns(pool, (deskId, asked, signal) => numbers.ask({ deskId, asked }, signal));
  const changed = async (pool: Pool, deskId: string, id: string) => {
    news.tell(deskId, 'watches');
    const watch = (await listWatches(pool, deskId, id))[0]!;
    // Whoever switches a watch on wants to see what it finds.
    if (watch.body.isOn) runSoon(CHECK_WATCHES);
    return watch;
  };
  mount('listWatches', async ({ signed: { deskId } }) => ({ rows: await listWatches(pool, deskId) }));
  mount('addWatch', async ({ signed, body }) =>
    changed(pool, signed.deskId, await saveWatch(pool, signed, null, body)),
  );
  mount('tryWatch', async ({ signed: { deskId }, body, res }) => {
    const gone = new AbortController();
    res.once('close', () => gone.abort());
    const ask = (desk: string, asked: Parameters<typeof numbers.ask>[0]['asked']) =>
      numbers.ask({ deskId: desk, asked }, gone.signal);
    const [desk, own] = await Promise.all([models.Desk.findByPk(deskId), ownFormulas(pool, deskId)]);
    const { rows, total, fromMs, toMs } = await lookFor(
      (question) => look(ask, deskId, question),
      body,
      now(),
      desk!.get().zone,
    );
    const matched = rows.filter((row) => meets(body, row, total, own));
    return {
      from: new Date(fromMs).toISOString(),
      to: new Date(toMs).toISOString(),
      rows: rows.length,
      matched: matched.length,
      found: matched.slice(0, SHOWN_FOUND).map((row) => ({
        value: row.value,
        name: row.name,
        seen: seenOf(body, row, own),
        spentMicros: row.figures.spentMicros,
      })),
    };
  });
  mount('startDryRun', ({ signed: { deskId, memberId }, body }) =>
    dryRuns.start({ deskId, memberId, ...body, nowMs: now() }),
  );
  mount('readDryRun', ({ signed: { deskId }, id }) => Promise.resolve(dryRuns.read(deskId, id)));
  mount('stopDryRun', ({ signed: { deskId }, id }) => {
    dryRuns.stop(deskId, id);
    return Promise.resolve({});
  });
  mount('changeWatch', async ({ signed, id, body: { version, body } }) =>
    changed(pool, signed.deskId, await saveWatch(pool, signed, { id, version }, body)),
  );
  mount('removeWatch', async ({ signed: { deskId }, id }) => {
    await removeWatch(pool, deskId, id);
    news.tell(deskId, 'watches');
    return {};
  });
  mount('watchHistory', ({ signed: { deskId }, id }) => historyOf(pool, deskId, id));
  mount('decideFinding', async ({ signed, id, body: { decision } }): Promise<WatchFinding> => {
    const by = { deskId: signed.deskId, memberId: signed.memberId };
    const finding = await inTransaction(models, (transaction) =>
      decideFinding({ models, transaction, by, nowMs: now() }, id, decision),
    );
    news.tell(signed.deskId, 'watches', 'parts');
    return finding;
  });
  mount('listNotices', async ({ signed: { deskId, memberId } }) => {
    const [notices, asked] = await Promise.all([
      listNotices(pool, deskId, memberId),
      findingsToDecide(pool, deskId),
    ]);
    return { notices, asked };
  });
}
