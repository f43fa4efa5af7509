/** The API's routes, put together; each group mounts its endpoints of the contract. */
import express, { Router } from 'express';
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
import { domainRoutes } from './domainRoutes.ts';
import { deskRoutes } from './deskRoutes.ts';
import { mounter } from './mount.ts';
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
  /** Campaigns of the desk that run on their last good version. */
  broken: (deskId: string) => number;
  fetchPage: FetchPage;
  checkDomain: CheckDomain;
  testRequest: TestRequest;
  now: () => number;
}

export function apiRouter(deps: ApiDeps): Router {
  const { config, models, pool, now } = deps;
  const api = Router();
  documentRoutes(api, config.desk.origin);
  api.use(checkOrigin(config.desk.origin));
  api.use(express.json({ limit: MAX_API_BODY }));
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
