import { basename } from 'node:path';

/**
 * About how many seconds the longest files take, alone. A file that is not here takes a few: who adds a long one, adds it
 * here, or the processes end at different times.
 */
export const SECONDS = {
  feeds: 37,
  numbers: 30,
  costFeeds: 29,
  costs: 18,
  keptSums: 17,
  postbacksOut: 17,
  hotStatements: 15,
  notices: 14,
  imports: 13,
  dryRun: 13,
  signalWatches: 13,
  terms: 13,
  automaticSplit: 11,
  watchActs: 11,
  partnerPage: 9,
  security: 9,
  referenceModel: 8,
  billing: 8,
  timetable: 8,
  // Those that start and end servers.
  start: 43,
  databaseAway: 31,
  backup: 22,
  buttons: 16,
  demo: 15,
  startWithoutDatabase: 14,
  processes: 12,
  importKilled: 10,
};
const OTHERS = 3;
const secondsOf = ({ path }) => SECONDS[basename(path, '.test.ts')] ?? OTHERS;

/** For Jest: shares the files among the processes of a run, so that all end at about the same time; the longest go first. */
export default class EvenShards {
  sort(tests) {
    return [...tests].sort((a, b) => secondsOf(b) - secondsOf(a) || (a.path < b.path ? -1 : 1));
  }

  shard(tests, { shardIndex, shardCount }) {
    const shards = Array.from({ length: shardCount }, () => ({ seconds: 0, tests: [] }));
    for (const test of this.sort(tests)) {
      const least = shards.reduce((a, b) => (b.seconds < a.seconds ? b : a));
      least.seconds += secondsOf(test);
      least.tests.push(test);
    }
    return shards[shardIndex - 1].tests;
  }

  /** Runs are on clean checkouts: nothing is remembered of the one before. */
  cacheResults() {}

  allFailedTests(tests) {
    return tests;
  }
}
