/** The API's routes, put together; each group mounts its endpoints of the contract. */
import express, { Router, type RequestHandler } from 'express';
import { jsonDepth, MAX_JSON_DEPTH } from '@tracheon/core/links';
import type { Pool } from 'pg';
import type { Config } from '../config/config.ts';
import type { Models } from '../db/models.ts';
import type { Judgement } from '../intake/judge.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import { MAX_API_BODY } from '../limits/limits.ts';
import type { CheckDomain } from '../domains/checkDomain.ts';
import type { FetchPage } from '../pages/fetchPage.ts';
import type { TestRequest } from '../setup/testRequests.ts';
import type { NewsDesk } from '../stream/news.ts';
import { accountRoutes, signInRoutes } from './accountRoutes.ts';
import type { BuildAgain } from '../notify/givenUp.ts';
import { domainRoutes } from './domainRoutes.ts';
import { deskRoutes } from './deskRoutes.ts';
import { mounter } from './mount.ts';
import { Problem } from '../problems/problem.ts';
import { documentRoutes } from './openApi.ts';
import { partRoutes } from './partRoutes.ts';
import { reportRoutes } from './reportRoutes.ts';
import { checkOrigin, requireMember } from './security.ts';
import { setupRoutes } from './setupRoutes.ts';
import { signalRoutes } from './signalRoutes.ts';

export interface ApiDeps {
  config: Config;
  models: Models;
  pool: Pool;
  news: NewsDesk;
  judge: (receipt: ReceiptRecord) => Promise<Judgement>;
  postbackAgain: BuildAgain;
  /** Campaigns of the desk that run on their last good version. */
  broken: (deskId: string) => number;
  fetchPage: FetchPage;
  checkDomain: CheckDomain;
  testRequest: TestRequest;
  now: () => number;
}

/** Before it is parsed: what nests without end would be walked by every check after it. */
function refuseDeepJson(_req: unknown, _res: unknown, body: Buffer): void {
  // Its marks are ASCII, so every byte may stand for a character.
  if (jsonDepth(body.toString('latin1')) > MAX_JSON_DEPTH) throw new Problem('nested_too_deeply');
}

/** An answer is one member's, and true for a moment. */
const neverStored: RequestHandler = (_req, res, next) => {
  res.setHeader('Cache-Control', 'no-store');
  next();
};

export function apiRouter(deps: ApiDeps): Router {
  const { config, models, pool, now } = deps;
  const api = Router();
  api.use(neverStored);
  documentRoutes(api, config.desk.origin);
  api.use(checkOrigin(config.desk.origin));
  api.use(express.json({ limit: MAX_API_BODY, verify: refuseDeepJson }));
  const mount = mounter(api, { pool, secret: config.secret });
  signInRoutes(mount, deps);
  api.use(requireMember(models, pool, config.secret, now));
  accountRoutes(mount, deps);
  deskRoutes(mount, deps);
  domainRoutes(mount, deps);
  partRoutes(mount, deps);
  reportRoutes(mount, deps);
  signalRoutes(mount, deps);
  setupRoutes(mount, deps);
  return api;
}
