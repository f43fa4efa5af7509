/** Postbacks out that a source did not take: tried again, or set aside. */
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { Problem } from '../problems/problem.ts';
import { retryGivenUp, setAsideGivenUp, type BuildAgain } from './givenUp.ts';

export interface BuildsAgain {
  postbackAgain: BuildAgain;
}

export function notifyRoutes(mount: Mount, { pool, news, postbackAgain }: ApiGround & BuildsAgain): void {
  const told = <T>(deskId: string, answer: T): T => {
    news.tell(deskId, 'postbacks-out');
    return answer;
  };
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
}
