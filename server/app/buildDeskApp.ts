/** The desk listener: web app and API. Never reachable through a tracking host. */
import { resolve } from 'node:path';
import type { Express } from 'express';
import type { Logger } from 'pino';
import { healthPages } from '../health/healthPages.ts';
import { answerProblem, unknownRoute } from '../http/failures.ts';
import { Problem } from '../problems/problem.ts';
import { sessionCookie } from '../http/security.ts';
import { apiRouter, type ApiDeps } from './api.ts';
import { isSecure, pageApp, serveWeb, sessions } from './webApp.ts';
import type { Workings } from './wiring.ts';

/** What the health pages read. */
type Watched = Pick<Workings, 'health' | 'metrics'>;

export function buildDeskApp(deps: ApiDeps, w: Watched, log: Logger, webFolder: string): Express {
  const { config, pool } = deps;
  const secure = isSecure(config.desk.origin);
  const app = pageApp(config.desk.origin, config.trustedProxies);
  app.use(healthPages(w, config.metricsToken), answerProblem(log));
  // Before the database has been brought up, its schema may be an older one.
  app.use('/api', (_req, _res, next) => {
    if (!w.health.ready) throw new Problem('database_away');
    next();
  });
  const own = sessions(pool, {
    cookie: sessionCookie(secure),
    table: 'session',
    secret: config.secret,
    secure,
  });
  app.use('/api', own, apiRouter(deps), unknownRoute, answerProblem(log));
  serveWeb(app, resolve(webFolder), 'index.html');
  app.use(answerProblem(log));
  return app;
}
