/** Reports from the index. */
import type { Response } from 'express';
import { deskOf } from '../accounts/deskOf.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { Problem } from '../problems/problem.ts';
import { askedDays } from '../reports/period.ts';
import { campaignByDay, campaignsReport, type AskIndex } from './campaignFigures.ts';
import { NumbersClient } from './numbersClient.ts';
import { WhatChangedKept } from './whatChanged.ts';

export function numbersRoutes(mount: Mount, { config, models, pool, now }: ApiGround): void {
  const numbers = new NumbersClient(config.dataFolder);
  const asking =
    (deskId: string, res: Response): AskIndex =>
    (asked) =>
      numbers.ask({ deskId, asked }, untilGone(res));
  mount('numbersReport', ({ signed: { deskId }, body, res }) =>
    numbers.askWritten({ deskId, asked: body }, untilGone(res)),
  );
  const changes = new WhatChangedKept(pool);
  mount('whatChanged', async ({ signed }) => {
    const desk = await deskOf(models, signed.deskId);
    // Whoever else asks meanwhile waits for the same answer: it goes on when this page has left.
    return changes.of((asked) => numbers.ask({ deskId: desk.id, asked }), desk, now());
  });
  mount('numbersState', () => numbers.state());
  mount('campaignsReport', async ({ signed, query, res }) => {
    const desk = await deskOf(models, signed.deskId);
    const days = askedDays(query, now(), desk.zone);
    return campaignsReport(asking(desk.id, res), desk, days, query);
  });
  mount('campaignReport', async ({ signed, id, query, res }) => {
    const desk = await deskOf(models, signed.deskId);
    if ((await models.Part.count({ where: { id, deskId: desk.id, kind: 'campaign' } })) === 0)
      throw new Problem('not_found');
    return campaignByDay(asking(desk.id, res), pool, desk, id, askedDays(query, now(), desk.zone));
  });
}

/** The page has been left: nobody waits for the answer. */
function untilGone(res: Response): AbortSignal {
  const gone = new AbortController();
  res.once('close', () => gone.abort());
  return gone.signal;
}
