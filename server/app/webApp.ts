/** What the apps of the desk and of the partner page have in common: headers, sessions, and the built pages. */
import { createServer, type Server } from 'node:http';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import express, { type Express, type RequestHandler } from 'express';
import session from 'express-session';
import helmet from 'helmet';
import type { Pool } from 'pg';
import { jsonDepth, MAX_JSON_DEPTH } from '@tracheon/core/links';
import { SessionStore } from '../accounts/sessionStore.ts';
import { giveRequestId } from '../http/failures.ts';
import {
  CHECK_CONNECTIONS_MS,
  HEADERS_TIMEOUT_MS,
  MAX_API_BODY,
  MAX_CONNECTIONS,
  MAX_HEADER_BYTES,
  REQUEST_TIMEOUT_MS,
} from '../limits/limits.ts';
import { Problem } from '../problems/problem.ts';
import { answerUnreadable } from './trackingListener.ts';

/** Signed in for two weeks without use. */
const SESSION_MS = 14 * 24 * 3600 * 1000;

/** A listener for pages and their API; what answers comes by its event `request`. */
export function pageServer(): Server {
  const server = createServer({
    maxHeaderSize: MAX_HEADER_BYTES,
    headersTimeout: HEADERS_TIMEOUT_MS,
    requestTimeout: REQUEST_TIMEOUT_MS,
    connectionsCheckingInterval: CHECK_CONNECTIONS_MS,
  });
  server.maxConnections = MAX_CONNECTIONS;
  server.on('clientError', answerUnreadable);
  return server;
}

export const isSecure = (origin: string): boolean => origin.startsWith('https:');

export function pageApp(origin: string, trustedProxies: readonly string[]): Express {
  const app = express();
  app.disable('x-powered-by');
  if (trustedProxies.length > 0) app.set('trust proxy', [...trustedProxies]);
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
      strictTransportSecurity: isSecure(origin),
    }),
  );
  return app;
}

export interface SessionsOf {
  /** Under https its prefix binds the cookie to this very host (RFC 6265bis §4.1.3). */
  cookie: string;
  table: string;
  secret: string;
  secure: boolean;
}
export function sessions(pool: Pool, { cookie, table, secret, secure }: SessionsOf): RequestHandler {
  return session({
    name: cookie,
    secret,
    resave: false,
    saveUninitialized: false,
    rolling: true,
    store: new SessionStore({ pool, tableName: table, pruneSessionInterval: 3600 }),
    cookie: { httpOnly: true, sameSite: 'lax', secure, maxAge: SESSION_MS },
  });
}

/** Before it is parsed: what nests without end would be walked by every check after it. */
function refuseDeepJson(_req: unknown, _res: unknown, body: Buffer): void {
  // Its marks are ASCII, so every byte may stand for a character.
  if (jsonDepth(body.toString('latin1')) > MAX_JSON_DEPTH) throw new Problem('nested_too_deeply');
}
export const jsonBodies = (): RequestHandler => express.json({ limit: MAX_API_BODY, verify: refuseDeepJson });

/** An answer is for who asked, and true for a moment. */
export const neverStored: RequestHandler = (_req, res, next) => {
  res.setHeader('Cache-Control', 'no-store');
  next();
};

/** The built pages: every address that is no file is `page`; its router says what is not there. */
export function serveWeb(app: Express, folder: string, page: string): void {
  const index = join(folder, page);
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
  app.get('/mark.svg', (_req, res) => void res.sendFile(join(folder, 'mark.svg')));
  app.get('/{*page}', (_req, res) => void res.set('Cache-Control', 'no-cache').sendFile(index));
}
