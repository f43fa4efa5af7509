/** Postbacks out that a source did not take: tried again, or set aside. */
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { Problem } from '../problems/problem.ts';
import { sendAgain, setAsideGivenUp, type BuildAgain } from './sendAgain.ts';
import { sourcesHealth } from './sourcesHealth.ts';

export interface BuildsAgain {
  postbackAgain: BuildAgain;
}

export function notifyRoutes(mount: Mount, { pool, news, postbackAgain }: ApiGround & BuildsAgain): void {
  const told = <T>(deskId: string, answer: T): T => {
    news.tell(deskId, 'postbacks-out');
    return answer;
  };
  mount('retryPostbackOut', async ({ id, signed: { deskId } }) => {
    const { changed, unchanged } = await sendAgain(pool, postbackAgain, deskId, [id], 'given_up');
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
    told(deskId, await sendAgain(pool, postbackAgain, deskId, ids, 'given_up')),
  );
  mount('resendPostbacksOut', async ({ signed: { deskId }, body: { ids } }) =>
    told(deskId, await sendAgain(pool, postbackAgain, deskId, ids, 'delivered')),
  );
  mount('sourcesHealth', ({ signed: { deskId } }) => sourcesHealth(pool, deskId));
  mount('setAsidePostbacksOut', async ({ signed: { deskId }, body: { ids, reason } }) =>
    told(deskId, await setAsideGivenUp(pool, deskId, ids, reason)),
  );
}
