/** Erasure of one visit, or of a click ID that was carried over. */
import type { StreamNews } from '@tracheon/core/contract';
import { clickIdOfPath } from '../http/clickIdOfPath.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { Problem } from '../problems/problem.ts';
import { eraseCarried, eraseVisit, type Erased } from './erase.ts';

const TOPICS: StreamNews['topics'] = ['visits', 'postbacks-in', 'conversions', 'postbacks-out'];

export function privacyRoutes(mount: Mount, { pool, news }: ApiGround): void {
  const told = (deskId: string, erased: Erased): Erased => {
    if (erased.visits + erased.postbacks === 0) throw new Problem('not_found');
    news.tell(deskId, ...TOPICS);
    return erased;
  };
  mount('eraseVisit', async ({ id, signed: { deskId } }) =>
    told(deskId, await eraseVisit(pool, deskId, clickIdOfPath(id))),
  );
  mount('eraseCarriedClick', async ({ body, signed: { deskId } }) =>
    told(deskId, await eraseCarried(pool, deskId, body.clickId)),
  );
}
