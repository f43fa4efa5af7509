/** The desk listener: web app and API. Never reachable through a tracking host. */
import { existsSync } from 'node:fs';
import { join, resolve } from 'node:path';
import connectPgSimple from 'connect-pg-simple';
import express, { type Express } from 'express';
import session from 'express-session';
import helmet from 'helmet';
import type { Logger } from 'pino';
import { healthPages } from '../health/healthPages.ts';
import { answerProblem, giveRequestId, unknownRoute } from '../http/failures.ts';
import { Problem } from '../problems/problem.ts';
import { sessionCookie } from '../http/security.ts';
import { apiRouter, type ApiDeps } from './api.ts';
import type { Workings } from './wiring.ts';

/** Signed in for two weeks without use. */
const SESSION_MS = 14 * 24 * 3600 * 1000;

/** What the health pages read. */
type Watched = Pick<Workings, 'health' | 'metrics'>;

export function buildDeskApp(deps: ApiDeps, w: Watched, log: Logger, webFolder: string): Express {
  const app = express();
  const secure = deps.config.desk.origin.startsWith('https:');
  app.disable('x-powered-by');
  if (deps.config.trustedProxies.length > 0) app.set('trust proxy', [...deps.config.trustedProxies]);
  app.use(giveRequestId);
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'self'"],
          // PrimeVue writes its theme into style elements.
          styleSrc: ["'self'", "'unsafe-inline'"],
          imgSrc: ["'self'", 'data:'],
          // Spreadsheets are packed by workers that the page makes of its own code; whoever makes one runs in the page already.
          workerSrc: ["'self'", 'blob:'],
          objectSrc: ["'none'"],
          baseUri: ["'self'"],
          formAction: ["'self'"],
          frameAncestors: ["'none'"],
        },
      },
      strictTransportSecurity: secure,
    }),
  );
  app.use(healthPages(w, deps.config.metricsToken), answerProblem(log));
  // Before the database has been brought up, its schema may be an older one.
  app.use('/api', (_req, _res, next) => {
    if (!w.health.ready) throw new Problem('database_away');
    next();
  });
  app.use('/api', sessions(deps, secure), apiRouter(deps), unknownRoute, answerProblem(log));
  serveWeb(app, resolve(webFolder));
  app.use(answerProblem(log));
  return app;
}

function sessions({ config, pool }: ApiDeps, secure: boolean) {
  const Store = connectPgSimple(session);
  return session({
    // Under https the prefix binds the cookie to this very host (RFC 6265bis §4.1.3).
    name: sessionCookie(secure),
    secret: config.secret,
    resave: false,
    saveUninitialized: false,
    rolling: true,
    store: new Store({ pool, tableName: 'session', pruneSessionInterval: 3600 }),
    cookie: { httpOnly: true, sameSite: 'lax', secure, maxAge: SESSION_MS },
  });
}

function serveWeb(app: Express, folder: string): void {
  const index = join(folder, 'index.html');
  if (!existsSync(index)) {
    app.use(
      (_req, res) =>
        void res.status(503).type('text/plain').send('The web app is not built. Run npm run build.'),
    );
    return;
  }
  app.use(
    '/assets',
    express.static(join(folder, 'assets'), { immutable: true, maxAge: '1y', fallthrough: false }),
  );
  app.use(express.static(folder, { index: false }));
  // Every other page is the app's own; its router says what is not there.
  app.get('/{*page}', (_req, res) => void res.set('Cache-Control', 'no-cache').sendFile(index));
}
