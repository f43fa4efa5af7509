/**
 * Who may ask: session, origin, CSRF token, role; or a script's bearer token. The desk's pages are the only origin that
 * may change anything by session; the CSRF token must also match, so that a forged Origin from an odd client gains
 * nothing. A request with a bearer token never falls back to the session: no page can make a browser send one.
 */
import { createHmac, timingSafeEqual } from 'node:crypto';
import type { NextFunction, Request, RequestHandler, Response } from 'express';
import rateLimit from 'express-rate-limit';
import type { Pool } from 'pg';
import { roles, type Role } from '@tracheon/core/contract';
import { findToken } from '../accounts/tokens.ts';
import type { Models } from '../db/models.ts';
import { FailureThrottle } from '../limits/failureThrottle.ts';
import { SIGN_IN_TRIES_PER_MINUTE, WRONG_TOKENS_PER_MINUTE } from '../limits/limits.ts';
import { Problem } from '../problems/problem.ts';
import { isInUse } from './sessions.ts';

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

const same = (a: string, b: string): boolean =>
  a.length === b.length && timingSafeEqual(Buffer.from(a), Buffer.from(b));
const changing = (req: Request): boolean => !['GET', 'HEAD', 'OPTIONS'].includes(req.method);

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

const bearer = (req: Request): string | null =>
  /^Bearer +(.*)$/i.exec(req.get('authorization') ?? '')?.[1]?.trim() ?? null;

/** Looks the member and role up anew each time, so that a role taken away is gone at once. */
export function requireMember(models: Models, pool: Pool, secret: string, now: () => number): RequestHandler {
  const wrong = new FailureThrottle(WRONG_TOKENS_PER_MINUTE);
  return async (req: Request, _res: Response, next: NextFunction) => {
    const token = bearer(req);
    (req as SignedRequest).signed =
      token === null
        ? await signedBySession(models, pool, secret, req, now())
        : await signedByToken(pool, wrong, token, req, now());
    next();
  };
}

async function signedBySession(
  models: Models,
  pool: Pool,
  secret: string,
  req: Request,
  nowMs: number,
): Promise<Signed> {
  const { memberId, deskId } = req.session;
  const membership =
    memberId && deskId && isInUse(pool, req, nowMs)
      ? await models.Membership.findOne({ where: { memberId, deskId } })
      : null;
  if (!membership) throw new Problem('not_signed_in');
  // A page that still shows the desk before must not change the one that its session is on now.
  const shown = req.get('x-desk');
  if (shown !== undefined && shown !== deskId) throw new Problem('other_desk');
  if (changing(req) && !same(req.get('x-csrf-token') ?? '', csrfToken(secret, req.sessionID)))
    throw new Problem('bad_csrf_token');
  return { memberId: memberId!, deskId: deskId!, role: membership.get().role };
}

async function signedByToken(
  pool: Pool,
  wrong: FailureThrottle,
  token: string,
  req: Request,
  nowMs: number,
): Promise<Signed> {
  const address = req.ip ?? '';
  if (wrong.isClosed(address, nowMs)) throw new Problem('too_many_tries');
  const holder = await findToken(pool, token);
  if (!holder) {
    wrong.failed(address, nowMs);
    throw new Problem('wrong_token');
  }
  if (holder.scope === 'read' && changing(req)) throw new Problem('scope_too_small');
  const { memberId, deskId, role, tokenId } = holder;
  return { memberId, deskId, role, token: { id: tokenId } };
}

export function requireRole(least: Role): RequestHandler {
  return (req, _res, next) => {
    if (roles.indexOf((req as SignedRequest).signed.role) < roles.indexOf(least))
      throw new Problem('role_too_small');
    next();
  };
}

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
