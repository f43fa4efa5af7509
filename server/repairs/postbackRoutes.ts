/** Received postbacks that need somebody: processed again, released, set aside. */
import { clickIdDay } from '@tracheon/core/identity';
import { clickIdOfPath } from '../http/clickIdOfPath.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { Problem } from '../problems/problem.ts';
import type { Judges } from '../intake/judge.ts';
import { addByHand, changeByHand } from './byHand.ts';
import { reviewPayoutsByHand } from './payoutReviews.ts';
import { reprocess, setAside } from './repair.ts';
import { loadReceipt } from '../intake/sweeper.ts';

export function postbackRoutes(mount: Mount, { pool, news, judge, now }: ApiGround & Judges): void {
  const told = <T>(deskId: string, answer: T): T => {
    news.tell(deskId, 'postbacks-in', 'conversions', 'postbacks-out');
    return answer;
  };
  mount('reprocessPostback', async ({ id, signed: { deskId } }) => {
    const receiptId = clickIdOfPath(id);
    const receipt = await loadReceipt(pool, deskId, receiptId, clickIdDay(receiptId));
    if (!receipt) throw new Problem('not_found');
    const judgement = await judge(receipt);
    news.tell(deskId, 'postbacks-in', 'conversions', 'postbacks-out');
    return judgement;
  });
  mount('releasePostback', async ({ id, signed: { deskId } }) => {
    const receiptId = clickIdOfPath(id);
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
  const ground = { pool, judge, now };
  mount('changeConversions', async ({ signed: { deskId, memberId }, body }) =>
    told(deskId, await changeByHand(ground, { deskId, memberId }, body)),
  );
  mount('reviewPayouts', async ({ signed: { deskId, memberId }, body }) =>
    told(deskId, await reviewPayoutsByHand(ground, { deskId, memberId }, body)),
  );
  mount('addConversion', async ({ signed: { deskId, memberId }, body }) =>
    told(deskId, await addByHand(ground, { deskId, memberId }, body)),
  );
  mount('reprocessPostbacks', async ({ signed: { deskId }, body: { ids } }) =>
    told(deskId, await reprocess(pool, judge, deskId, ids)),
  );
  mount('setAsidePostbacks', async ({ signed: { deskId }, body: { ids, reason } }) =>
    told(deskId, await setAside(pool, deskId, ids, reason)),
  );
}
