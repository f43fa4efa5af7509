/**
 * Mounts one endpoint of the partner page. Whoever asks is looked up anew each time, so that an access that was ended is gone at
 * once. Nothing here takes a desk or a partner from the request: both are those of the session.
 */
import type { Request, RequestHandler, Response, Router } from 'express';
import type { Pool } from 'pg';
import type { z } from 'zod';
import { recordId } from '@tracheon/core/contract';
import {
  partnerEndpoints,
  type PartnerEndpoint,
  type PartnerEndpointName,
  type PartnerEndpointOf,
} from '@tracheon/core/contract/partnerPage';
import { isOver } from '../accounts/sessions.ts';
import { expressPath } from '../http/mount.ts';
import { changing, csrfToken, same } from '../http/security.ts';
import { parseInput, Problem } from '../problems/problem.ts';
import { signedPartner, type PartnerSigned } from './partnerUsers.ts';

type Parsed<E, K extends 'query' | 'body'> =
  E extends Record<K, infer S extends z.ZodType> ? z.output<S> : undefined;
export interface PartnerAsked<N extends PartnerEndpointName = PartnerEndpointName> {
  query: Parsed<PartnerEndpointOf<N>, 'query'>;
  body: Parsed<PartnerEndpointOf<N>, 'body'>;
  id: string;
  signed: PartnerSigned;
  req: Request;
  res: Response;
}
type Answer<N extends PartnerEndpointName> = z.input<PartnerEndpointOf<N>['answer']>;
export type PartnerMount = <N extends PartnerEndpointName>(
  name: N,
  handler: (asked: PartnerAsked<N>) => Promise<Answer<N>> | Answer<N>,
  ...guards: RequestHandler[]
) => void;

export interface PartnerDoor {
  pool: Pool;
  secret: string;
  now: () => number;
}

export function partnerMounter(api: Router, door: PartnerDoor): PartnerMount {
  return (name, handler, ...guards) => {
    const e: PartnerEndpoint = partnerEndpoints[name];
    const inner = handler as unknown as (asked: PartnerAsked) => Promise<unknown> | unknown;
    api[e.method](expressPath(e.path), ...guards, async (req, res) => {
      const signed = e.least === 'anyone' ? nobody : await signedIn(door, req);
      const id = e.path.includes('{id}')
        ? recordId.safeParse(String(req.params.id).trim().toUpperCase())
        : null;
      if (id && !id.success) throw new Problem('not_found');
      const answer = await inner({
        query: (e.query ? parseInput(e.query, req.query) : undefined) as undefined,
        body: (e.body ? parseInput(e.body, req.body ?? {}) : undefined) as undefined,
        id: id?.data ?? '',
        signed,
        req,
        res,
      });
      res.status(200).json(answer);
    });
  };
}

const nobody: PartnerSigned = {
  userId: '',
  accessId: '',
  deskId: '',
  partnerId: '',
  name: '',
  email: '',
  partnerName: '',
};

async function signedIn({ pool, secret, now }: PartnerDoor, req: Request): Promise<PartnerSigned> {
  const { userId, accessId, info } = req.session;
  const signed =
    userId && accessId && !isOver(info, now()) ? await signedPartner(pool, userId, accessId) : null;
  if (!signed) throw new Problem('not_signed_in');
  // A page that still shows the partner before must not change anything of the one that its session is on now.
  const shown = req.get('x-partner');
  if (shown !== undefined && shown !== signed.partnerId) throw new Problem('other_partner');
  if (changing(req) && !same(req.get('x-csrf-token') ?? '', csrfToken(secret, req.sessionID)))
    throw new Problem('bad_csrf_token');
  return signed;
}
