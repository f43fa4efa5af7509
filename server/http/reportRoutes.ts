/** Figures, and what needs attention. */
import { attention } from '../reports/attention.ts';
import { campaignByDay, campaignsReport } from '../reports/reports.ts';
import { deskOf } from './deskRoutes.ts';
import type { Mount } from './mount.ts';
import { Problem } from '../problems/problem.ts';
import type { ApiDeps } from './routes.ts';

export function reportRoutes(mount: Mount, { models, pool, broken, now }: ApiDeps): void {
  mount('campaignsReport', async ({ signed, query }) =>
    campaignsReport(pool, await deskOf(models, signed.deskId), query, now()),
  );
  mount('campaignReport', async ({ signed, id, query }) => {
    const desk = await deskOf(models, signed.deskId);
    if ((await models.Part.count({ where: { id, deskId: desk.id, kind: 'campaign' } })) === 0)
      throw new Problem('not_found');
    return campaignByDay(pool, desk, id, query, now());
  });
  mount('attention', async ({ signed: { deskId } }) =>
    attention(pool, await deskOf(models, deskId), broken(deskId), now()),
  );
}
