/** Exchange rates: what waited for one is converted when it comes. */
import type { RateRow, RateSchedule } from '@tracheon/core/contract';
import { rateNanos, ratesOfEcb, ratesOfTable, rateText } from '@tracheon/core/money';
import { deskOf } from '../accounts/deskOf.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { Problem } from '../problems/problem.ts';
import { loadEcbRates } from './ecbRates.ts';
import { keepRates } from './keepRates.ts';
import { rebookUnconverted } from '../intake/rebook.ts';
import { FileProblem } from '../imports/fileProblem.ts';
import { readToTheEnd } from '../imports/readToTheEnd.ts';
import type { Judges } from '../intake/judge.ts';
import { readRatesFile } from './readRatesFile.ts';

export function rateRoutes(mount: Mount, deps: ApiGround & Judges): void {
  const { models, pool, news, judge } = deps;
  mount('loadRates', async ({ signed: { deskId }, req }) => {
    const desk = await deskOf(models, deskId);
    const file = await readFile(req as AsyncIterable<Buffer>);
    const read =
      typeof file === 'string'
        ? { rates: ratesOfEcb(file, desk.currency), problems: [] }
        : ratesOfTable(file, desk.currency);
    if (typeof read === 'string') throw new Problem('unreadable_file', { detail: read });
    if (read.rates.length === 0 && read.problems.length === 0)
      throw new Problem('unreadable_file', { detail: `It has no rates to ${desk.currency}.` });
    const loaded = await keepRates(pool, judge, deskId, read.rates);
    news.tell(deskId, 'conversions', 'numbers');
    return { ...loaded, problems: read.problems };
  });
  mount('fetchRates', async ({ signed: { deskId } }) => {
    const loaded = await loadEcbRates(deps, await deskOf(models, deskId));
    await models.Desk.update({ ratesFailedAt: null }, { where: { id: deskId } });
    news.tell(deskId, 'conversions', 'numbers');
    return loaded;
  });
  const schedule = async (deskId: string): Promise<RateSchedule> => {
    const desk = await models.Desk.findByPk(deskId, { attributes: ['dailyRates', 'ratesFailedAt'] });
    if (!desk) throw new Problem('not_found');
    const { dailyRates, ratesFailedAt } = desk.get();
    return { isOn: dailyRates, failedAt: ratesFailedAt?.toISOString() ?? null };
  };
  mount('rateSchedule', ({ signed: { deskId } }) => schedule(deskId));
  mount('scheduleRates', async ({ signed: { deskId }, body: { isOn } }) => {
    await models.Desk.update({ dailyRates: isOn, ratesFailedAt: null }, { where: { id: deskId } });
    return schedule(deskId);
  });
  mount('removeRate', async ({ signed: { deskId }, body: { base, day } }) => {
    if ((await models.Rate.destroy({ where: { deskId, base, day } })) === 0) throw new Problem('not_found');
    news.tell(deskId, 'numbers');
    return {};
  });

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
    news.tell(deskId, 'conversions', 'numbers');
    return { converted };
  });
}

async function readFile(input: AsyncIterable<Buffer>): Promise<string | string[][]> {
  const source = input[Symbol.asyncIterator]();
  try {
    return await readRatesFile({ [Symbol.asyncIterator]: () => source });
  } catch (error) {
    await readToTheEnd(source);
    throw error instanceof FileProblem ? new Problem('unreadable_file', { detail: error.message }) : error;
  }
}
