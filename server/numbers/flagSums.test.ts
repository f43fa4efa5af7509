import { expect, it } from '@jest/globals';
import { countOf, flagSums, isIn, type VisitCost, type VisitCount } from './flagSums.ts';
import { FLAGS } from './indexFile.ts';

const ALL = Object.values(FLAGS).reduce((sum, f) => sum + f, 0);

it('each combination of flags is in the sums that say what it is', () => {
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
    for (const name of Object.keys(flagSums) as (VisitCount | VisitCost)[])
      expect([f, name, isIn(name, f)]).toEqual([f, name, wanted[name]]);
  }
  const some = { n: 5, priced: 3, cost: 7n };
  expect([countOf('visits', some), countOf('withoutCost', some)]).toEqual([5, 2]);
});
