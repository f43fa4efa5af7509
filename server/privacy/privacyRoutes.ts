/** Erasure of one visit. */
import { clickIdOfPath } from '../http/clickIdOfPath.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { Problem } from '../problems/problem.ts';
import { eraseVisit } from './erase.ts';

export function privacyRoutes(mount: Mount, { pool, news }: ApiGround): void {
  mount('eraseVisit', async ({ id, signed: { deskId } }) => {
    const erased = await eraseVisit(pool, deskId, clickIdOfPath(id));
    if (erased.visits + erased.postbacks === 0) throw new Problem('not_found');
    news.tell(deskId, 'visits', 'postbacks-in', 'conversions', 'postbacks-out');
    return erased;
  });
}
