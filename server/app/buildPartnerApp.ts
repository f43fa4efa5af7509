/** The partner listener: the partner page and its API. Nothing of the desk is reachable through it. */
import { createHmac } from 'node:crypto';
import { resolve } from 'node:path';
import { Router, type Express } from 'express';
import type { Logger } from 'pino';
import { answerProblem, unknownRoute } from '../http/failures.ts';
import { checkOrigin, partnerCookie } from '../http/security.ts';
import type { Call } from '../notify/outgoing.ts';
import { NumbersClient } from '../numbers/numbersClient.ts';
import { partnerMounter } from '../partners/partnerMount.ts';
import { partnerPageRoutes } from '../partners/pageRoutes.ts';
import { Problem } from '../problems/problem.ts';
import type { ApiDeps } from './api.ts';
import { isSecure, jsonBodies, neverStored, pageApp, serveWeb, sessions } from './webApp.ts';
import type { Workings } from './wiring.ts';

export function buildPartnerApp(
  { config, models, pool, news, now, call }: ApiDeps & { call: Call },
  { health }: Pick<Workings, 'health'>,
  log: Logger,
  webFolder: string,
): Express {
  const { origin } = config.partners;
  const secure = isSecure(origin);
  // A cookie of the desk is signed otherwise, and worth nothing here; nor is one of here at the desk.
  const secret = createHmac('sha256', config.secret).update('partner page').digest('base64url');
  const app = pageApp(origin, config.trustedProxies);
  app.get('/healthz', (_req, res) => void res.type('text/plain').send('ok'));
  app.use('/api', (_req, _res, next) => {
    if (!health.ready) throw new Problem('database_away');
    next();
  });
  const api = Router();
  api.use(neverStored, checkOrigin(origin), jsonBodies());
  const numbers = new NumbersClient(config.dataFolder);
  partnerPageRoutes(partnerMounter(api, { pool, secret, now }), {
    config,
    secret,
    models,
    pool,
    news,
    call,
    askNumbers: (deskId, asked) => numbers.ask({ deskId, asked }),
    now,
  });
  const own = sessions(pool, { cookie: partnerCookie(secure), table: 'partner_session', secret, secure });
  app.use('/api', own, api, unknownRoute, answerProblem(log));
  serveWeb(app, resolve(webFolder), 'partners.html');
  app.use(answerProblem(log));
  return app;
}
