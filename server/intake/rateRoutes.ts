/** Exchange rates: what waited for one is converted when it comes. */
import type { RateRow } from '@tracheon/core/contract';
import { rateNanos, rateText } from '@tracheon/core/money';
import { deskOf } from '../accounts/deskOf.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { Problem } from '../problems/problem.ts';
import { rebookUnconverted } from './rebook.ts';
import type { Judges } from './judge.ts';

export function rateRoutes(mount: Mount, { models, pool, news, judge }: ApiGround & Judges): void {
  mount('listRates', async ({ signed }) => {
    const rows = await models.Rate.findAll({
      where: { deskId: signed.deskId },
      order: [
        ['day', 'DESC'],
        ['base', 'ASC'],
      ],
    });
    return rows.map((r): RateRow => {
      const { base, day, nanos } = r.get();
      return { base, day, rate: rateText(BigInt(nanos)) };
    });
  });
  mount('setRate', async ({ signed: { deskId }, body: { base, day, rate } }) => {
    const desk = await deskOf(models, deskId);
    if (base === desk.currency)
      throw new Problem('invalid_input', {
        fields: [{ path: 'base', message: 'This is the desk’s own currency. Enter another one.' }],
      });
    await models.Rate.upsert({ deskId, base, day, nanos: rateNanos(rate).toString() });
    const converted = await rebookUnconverted(pool, judge, deskId, base);
    news.tell(deskId, 'conversions');
    return { converted };
  });
}
