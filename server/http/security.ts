/**
 * From where and as what one may ask. The desk's pages are the only origin that may change anything by session; the CSRF
 * token must also match, so that a forged Origin from an odd client gains nothing. Who asks: accounts/requireMember.ts.
 */
import { createHmac, timingSafeEqual } from 'node:crypto';
import type { Request, RequestHandler } from 'express';
import rateLimit from 'express-rate-limit';
import type { Pool } from 'pg';
import { roles, type Role } from '@tracheon/core/contract';
import { SIGN_IN_TRIES_PER_MINUTE } from '../limits/limits.ts';
import { SharedRateStore, WINDOW_MS } from '../limits/sharedThrottle.ts';
import { Problem } from '../problems/problem.ts';

export interface Signed {
  memberId: string;
  deskId: string;
  role: Role;
  /** The token that was shown; absent in a session. */
  token?: { id: string };
}
export type SignedRequest = Request & { signed: Signed };

export const csrfToken = (secret: string, sessionId: string): string =>
  createHmac('sha256', secret).update(`csrf|${sessionId}`).digest('base64url');

export const sessionCookie = (secure: boolean): string => (secure ? '__Host-tracheon' : 'tracheon');

/** Of the partner page: a browser that knows both must never show one for the other. */
export const partnerCookie = (secure: boolean): string =>
  secure ? '__Host-tracheon-partner' : 'tracheon-partner';

export const same = (a: string, b: string): boolean =>
  a.length === b.length && timingSafeEqual(Buffer.from(a), Buffer.from(b));
export const changing = (req: Request): boolean => !['GET', 'HEAD', 'OPTIONS'].includes(req.method);

/** Refuses changes that come from another site. */
export function checkOrigin(origin: string): RequestHandler {
  return (req, _res, next) => {
    if (!changing(req) || bearer(req) !== null) return next();
    const from = req.get('origin') ?? '';
    const site = req.get('sec-fetch-site');
    if (from !== origin || (site !== undefined && site !== 'same-origin'))
      throw new Problem('foreign_origin');
    next();
  };
}

export const bearer = (req: Request): string | null =>
  /^Bearer +(.*)$/i.exec(req.get('authorization') ?? '')?.[1]?.trim() ?? null;

export function requireRole(least: Role): RequestHandler {
  return (req, _res, next) => {
    if (roles.indexOf((req as SignedRequest).signed.role) < roles.indexOf(least))
      throw new Problem('role_too_small');
    next();
  };
}

/** `what` is counted by address, for all processes together. */
export const throttleSignIn = (pool: Pool, what: string): RequestHandler =>
  rateLimit({
    windowMs: WINDOW_MS,
    store: new SharedRateStore(pool, what),
    limit: SIGN_IN_TRIES_PER_MINUTE,
    standardHeaders: 'draft-8',
    legacyHeaders: false,
    skipSuccessfulRequests: true,
    // It would look at a stack for where limits are made, and each start would read the program's map for that.
    validate: { creationStack: false },
    handler: () => {
      throw new Problem('too_many_tries');
    },
  });
