import { DuckDBInstance } from '@duckdb/node-api';
import { expect, it } from '@jest/globals';
import { newVisits } from '@tracheon/core/metrics';
import {
  addByFlags,
  exactSumSql,
  flagSums,
  flagSumSql,
  type VisitCost,
  type VisitCount,
} from './flagSums.ts';
import { FLAGS } from './flags.ts';

const ALL = Object.values(FLAGS).reduce((sum, f) => sum + f, 0);

const names = Object.keys(flagSums) as (VisitCount | VisitCost)[];

it('each combination of flags is in the sums that say what it is', async () => {
  const connection = await (await DuckDBInstance.create(':memory:')).connect();
  const sums = names.flatMap((n) => [`${exactSumSql(n)}::DOUBLE`, `${flagSumSql(n)}::DOUBLE`]);
  // Five visits of each, three of them with a cost.
  const rows = await connection.runAndReadAll(
    `SELECT ${sums.join(', ')} FROM (SELECT range::INTEGER AS f, 5 AS n, 3 AS priced, 7 AS cost, 2 AS rate FROM range(${ALL + 1}))
     GROUP BY f ORDER BY f`,
  );
  const found = rows.getRowsJS() as number[][];
  let looked = 0;
  // Compared by hand: an `expect` for each of them takes longer than everything else here.
  const wrong: unknown[] = [];
  for (let f = 0; f <= ALL; f++) {
    const has = (flag: keyof typeof FLAGS): boolean => (f & FLAGS[flag]) !== 0;
    const isCounted = !has('bot') && !has('repeat') && !has('test');
    const entered = has('feed') || has('file');
    const wanted: Record<VisitCount | VisitCost, boolean> = {
      visits: isCounted,
      withoutCost: isCounted,
      unique: isCounted && has('unique'),
      bots: has('bot') && !has('test'),
      repeats: has('repeat') && !has('bot') && !has('test'),
      tests: has('test'),
      sentToPage: isCounted && has('page'),
      buttonClicks: isCounted && has('page') && has('clicked'),
      sentToOffer: isCounted && has('offer') && (!has('page') || has('clicked')),
      spent: !has('test'),
      botCost: has('bot') && !has('test'),
      linkCost: has('link') && !has('test') && !entered,
      feedCost: has('feed') && !has('test'),
      fileCost: has('file') && !has('test'),
    };
    const added = newVisits();
    addByFlags(added, f, { n: 5, priced: 3, cost: 7n });
    for (const [i, name] of names.entries()) {
      const { of } = flagSums[name];
      const [exact, sorted] = of === 'cost' ? [7, 14] : of === 'visits' ? [5, 5] : [2, 2];
      const is = found[f]!.slice(2 * i, 2 * i + 2);
      const inSum = Number(added[name]);
      const right = wanted[name] ? [exact, sorted, exact] : [0, 0, 0];
      looked += 1;
      if (`${is.join()},${inSum}` !== right.join()) wrong.push([f, name, ...is, inSum, 'not', ...right]);
    }
  }
  expect(wrong).toEqual([]);
  expect(looked).toBe((ALL + 1) * names.length);
  connection.closeSync();
});
