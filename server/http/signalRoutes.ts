/** What came in and went out: visits, postbacks in, conversions, postbacks out. */
import { clickIdDay, parseClickId } from '@tracheon/core/identity';
import { reprocess, setAside } from '../intake/repair.ts';
import { retryGivenUp, setAsideGivenUp } from '../notify/givenUp.ts';
import { dismissUnknownKey, listUnknownKeys } from '../reports/unknownKeys.ts';
import { loadReceipt } from '../intake/sweeper.ts';
import { eraseVisit } from '../privacy/erase.ts';
import {
  listConversions,
  listPostbacksIn,
  listPostbacksOut,
  listVisits,
  oneVisit,
} from '../reports/lists.ts';
import { wholePostback } from '../reports/wholePostback.ts';
import type { Mount } from './mount.ts';
import { Problem } from '../problems/problem.ts';
import type { ApiDeps } from './routes.ts';

/** A record's ID is no click ID when its time lies beyond any calendar. */
function clickId(id: string): string {
  const parsed = parseClickId(id);
  if (!parsed) throw new Problem('not_found');
  return parsed;
}

export function signalRoutes(mount: Mount, { pool, news, judge, postbackAgain }: ApiDeps): void {
  const told = <T>(deskId: string, answer: T): T => {
    news.tell(deskId, 'postbacks-in', 'conversions', 'postbacks-out');
    return answer;
  };
  mount('listVisits', ({ query, signed: { deskId } }) => listVisits(pool, { ...query, deskId }));
  mount('visit', async ({ id, signed }) => {
    const visit = await oneVisit(pool, signed.deskId, clickId(id));
    if (!visit) throw new Problem('not_found');
    return visit;
  });
  mount('eraseVisit', async ({ id, signed: { deskId } }) => {
    const erased = await eraseVisit(pool, deskId, clickId(id));
    if (erased.visits + erased.postbacks === 0) throw new Problem('not_found');
    news.tell(deskId, 'visits', 'postbacks-in', 'conversions', 'postbacks-out');
    return erased;
  });
  mount('listPostbacksIn', ({ query, signed: { deskId } }) => listPostbacksIn(pool, { ...query, deskId }));
  mount('postbackIn', async ({ id, signed: { deskId } }) => {
    const whole = await wholePostback(pool, deskId, clickId(id));
    if (!whole) throw new Problem('not_found');
    return whole;
  });
  mount('reprocessPostback', async ({ id, signed: { deskId } }) => {
    const receiptId = clickId(id);
    const receipt = await loadReceipt(pool, deskId, receiptId, clickIdDay(receiptId));
    if (!receipt) throw new Problem('not_found');
    const judgement = await judge(receipt);
    news.tell(deskId, 'postbacks-in', 'conversions', 'postbacks-out');
    return judgement;
  });
  mount('releasePostback', async ({ id, signed: { deskId } }) => {
    const receiptId = clickId(id);
    const receipt = await loadReceipt(pool, deskId, receiptId, clickIdDay(receiptId));
    if (!receipt) throw new Problem('not_found');
    if (!receipt.held) throw new Problem('not_held');
    await pool.query('UPDATE receipts SET held = false WHERE desk_id = $1 AND day = $2 AND id = $3', [
      deskId,
      clickIdDay(receiptId),
      receiptId,
    ]);
    const judgement = await judge({ ...receipt, held: false });
    news.tell(deskId, 'postbacks-in', 'conversions', 'postbacks-out');
    return judgement;
  });
  mount('listConversions', ({ query, signed: { deskId } }) => listConversions(pool, { ...query, deskId }));
  mount('listPostbacksOut', ({ query, signed: { deskId } }) => listPostbacksOut(pool, { ...query, deskId }));
  mount('retryPostbackOut', async ({ id, signed: { deskId } }) => {
    const { changed, unchanged } = await retryGivenUp(pool, postbackAgain, deskId, [id]);
    if (changed === 0) {
      const { rowCount } = await pool.query(
        `SELECT 1 FROM outbox WHERE desk_id = $1 AND id = $2 AND state IN ('gave_up', 'set_aside')`,
        [deskId, id],
      );
      throw rowCount
        ? new Problem('nothing_to_send', { detail: unchanged[0]!.why })
        : new Problem('not_found');
    }
    news.tell(deskId, 'postbacks-out');
    return {};
  });
  mount('retryPostbacksOut', async ({ signed: { deskId }, body: { ids } }) =>
    told(deskId, await retryGivenUp(pool, postbackAgain, deskId, ids)),
  );
  mount('setAsidePostbacksOut', async ({ signed: { deskId }, body: { ids, reason } }) =>
    told(deskId, await setAsideGivenUp(pool, deskId, ids, reason)),
  );
  mount('reprocessPostbacks', async ({ signed: { deskId }, body: { ids } }) =>
    told(deskId, await reprocess(pool, judge, deskId, ids)),
  );
  mount('setAsidePostbacks', async ({ signed: { deskId }, body: { ids, reason } }) =>
    told(deskId, await setAside(pool, deskId, ids, reason)),
  );
  mount('listUnknownKeys', ({ signed: { deskId } }) => listUnknownKeys(pool, deskId));
  mount('dismissUnknownKey', async ({ signed: { deskId }, body }) => {
    if (!(await dismissUnknownKey(pool, deskId, body))) throw new Problem('not_found');
    return {};
  });
}
