/**
 * Who may ask: session, origin, CSRF token, role. The desk's pages are the only origin that may change anything; the
 * token must also match, so that a forged Origin from an odd client gains nothing.
 */
import { createHmac, timingSafeEqual } from 'node:crypto';
import type { NextFunction, Request, RequestHandler, Response } from 'express';
import rateLimit from 'express-rate-limit';
import { roles, type Role } from '@tracheon/core/contract';
import type { Models } from '../db/models.ts';
import { Problem } from './problem.ts';

declare module 'express-session' {
  interface SessionData {
    memberId: string;
    deskId: string;
  }
}
export interface Signed {
  memberId: string;
  deskId: string;
  role: Role;
}
export type SignedRequest = Request & { signed: Signed };

export const csrfToken = (secret: string, sessionId: string): string =>
  createHmac('sha256', secret).update(`csrf|${sessionId}`).digest('base64url');

export const sessionCookie = (secure: boolean): string => (secure ? '__Host-tracheon' : 'tracheon');

const same = (a: string, b: string): boolean =>
  a.length === b.length && timingSafeEqual(Buffer.from(a), Buffer.from(b));
const changing = (req: Request): boolean => !['GET', 'HEAD', 'OPTIONS'].includes(req.method);

/** Refuses changes that come from another site. */
export function checkOrigin(origin: string): RequestHandler {
  return (req, _res, next) => {
    if (!changing(req)) return next();
    const from = req.get('origin') ?? '';
    const site = req.get('sec-fetch-site');
    if (from !== origin || (site !== undefined && site !== 'same-origin'))
      throw new Problem('foreign_origin');
    next();
  };
}

/** Looks the member and role up anew each time, so that a role taken away is gone at once. */
export function requireMember(models: Models, secret: string): RequestHandler {
  return async (req: Request, _res: Response, next: NextFunction) => {
    const { memberId, deskId } = req.session;
    const membership =
      memberId && deskId ? await models.Membership.findOne({ where: { memberId, deskId } }) : null;
    if (!membership) throw new Problem('not_signed_in');
    if (changing(req) && !same(req.get('x-csrf-token') ?? '', csrfToken(secret, req.sessionID)))
      throw new Problem('bad_csrf_token');
    (req as SignedRequest).signed = { memberId: memberId!, deskId: deskId!, role: membership.get().role };
    next();
  };
}

export function requireRole(least: Role): RequestHandler {
  return (req, _res, next) => {
    if (roles.indexOf((req as SignedRequest).signed.role) < roles.indexOf(least))
      throw new Problem('role_too_small');
    next();
  };
}

/** Ten tries a minute from one address: enough for a person, far too few for a list of passwords. */
export const SIGN_IN_TRIES_PER_MINUTE = 10;
export const throttleSignIn = (): RequestHandler =>
  rateLimit({
    windowMs: 60_000,
    limit: SIGN_IN_TRIES_PER_MINUTE,
    standardHeaders: 'draft-8',
    legacyHeaders: false,
    skipSuccessfulRequests: true,
    handler: () => {
      throw new Problem('too_many_tries');
    },
  });
