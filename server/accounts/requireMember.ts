/**
 * Who asks: a member by session, or by a script's bearer token. A request with a bearer token never falls back to the
 * session: no page can make a browser send one.
 */
import type { NextFunction, Request, RequestHandler, Response } from 'express';
import type { Pool } from 'pg';
import type { Models } from '../db/models.ts';
import { bearer, changing, csrfToken, same, type Signed, type SignedRequest } from '../http/security.ts';
import { WRONG_TOKENS_PER_MINUTE } from '../limits/limits.ts';
import { SharedThrottle } from '../limits/sharedThrottle.ts';
import { Problem } from '../problems/problem.ts';
import { isInUse } from './sessionData.ts';
import { findToken } from './tokens.ts';

/** Looks the member and role up anew each time, so that a role taken away is gone at once. */
export function requireMember(models: Models, pool: Pool, secret: string, now: () => number): RequestHandler {
  const wrong = new SharedThrottle(pool, 'wrong token', WRONG_TOKENS_PER_MINUTE);
  return async (req: Request, _res: Response, next: NextFunction) => {
    const token = bearer(req);
    (req as SignedRequest).signed =
      token === null
        ? await signedBySession(models, pool, secret, req, now())
        : await signedByToken(models, wrong, token, req, now());
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
  models: Models,
  wrong: SharedThrottle,
  token: string,
  req: Request,
  nowMs: number,
): Promise<Signed> {
  const address = req.ip ?? '';
  if (await wrong.isClosed(address, nowMs)) throw new Problem('too_many_tries');
  const holder = await findToken(models, token);
  if (!holder) {
    await wrong.failed(address, nowMs);
    throw new Problem('wrong_token');
  }
  if (holder.scope === 'read' && changing(req)) throw new Problem('scope_too_small');
  const { memberId, deskId, role, tokenId } = holder;
  return { memberId, deskId, role, token: { id: tokenId } };
}
