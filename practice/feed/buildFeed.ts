/**
 * Search-feed partners, simulated: visitors see search results, and the day's revenue is told by an API, by the sub-IDs of
 * the link: an estimate while the day lasts, final once it is closed. They call nobody, and differ in everything else.
 */
import express, { type Express } from 'express';
import { keyFeed } from './keyFeed.ts';
import { reportFeed } from './reportFeed.ts';
import { Searches } from './searches.ts';
import { tokenFeed } from './tokenFeed.ts';

/** `stateFile`: of a name, or null. */
export function buildFeed(options: { stateFile: (name: string) => string | null; now?: () => number }): {
  app: Express;
  stop: () => void;
} {
  const log = (name: string): Searches => new Searches(options.stateFile(name), options.now ?? Date.now);
  const all = { key: log('feed'), token: log('token-feed'), report: log('report-feed') };
  const app = express();
  app.disable('x-powered-by');
  app.use(express.urlencoded({ extended: false }));
  app.use('/token', tokenFeed(all.token));
  app.use('/report', reportFeed(all.report));
  app.use(keyFeed(all.key));
  return { app, stop: () => Object.values(all).forEach((one) => one.stop()) };
}
