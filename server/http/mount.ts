/**
 * Mounts one endpoint of the contract: its input is parsed by its schemas, its least role and session are asked for,
 * its answer gets status, ETag and, for creating calls, idempotency. Nothing is mounted by hand beside it: a test
 * compares the router with the contract.
 */
import { createHash } from 'node:crypto';
import type { Request, RequestHandler, Response, Router } from 'express';
import {
  partKinds,
  recordId,
  type Endpoint,
  type EndpointName,
  type EndpointOf,
  type PartKind,
} from '@tracheon/core/contract';
import { endpoints } from '@tracheon/core/contract/all';
import type { z } from 'zod';
import { once, type OnceDeps } from './idempotency.ts';
import { parseInput, Problem } from '../problems/problem.ts';
import { requireRole, type Signed, type SignedRequest } from './security.ts';
import { WrittenAnswer } from './writtenAnswer.ts';

type Parsed<E, K extends 'query' | 'body'> =
  E extends Record<K, infer S extends z.ZodType> ? z.output<S> : undefined;
export interface Asked<N extends EndpointName = EndpointName> {
  query: Parsed<EndpointOf<N>, 'query'>;
  body: Parsed<EndpointOf<N>, 'body'>;
  /** Out of the address; empty where it has none. */
  id: string;
  kind: PartKind;
  signed: Signed;
  /** The ETag without its quotes; null when nothing, or anything (`*`), will do. */
  ifMatch: string | null;
  req: Request;
  res: Response;
}
type Answer<N extends EndpointName> = EndpointOf<N>['answer'] extends z.ZodType
  ? z.input<EndpointOf<N>['answer']>
  : void;

export type Mount = <N extends EndpointName>(
  name: N,
  handler: (asked: Asked<N>) => Promise<Answer<N> | WrittenAnswer> | Answer<N>,
  ...guards: RequestHandler[]
) => void;

export const expressPath = (path: string): string => path.replaceAll(/\{(\w+)\}/g, ':$1');

export function mounter(api: Router, deps: OnceDeps): Mount {
  return (name, handler, ...guards) => {
    const e: Endpoint = endpoints[name];
    const inner = handler as (asked: Asked) => Promise<unknown> | unknown;
    if (e.session) guards.unshift(sessionOnly);
    if (e.least !== 'anyone') guards.unshift(requireRole(e.least));
    api[e.method](expressPath(e.path), ...guards, async (req, res) => {
      const asked = read(e, req, res);
      if (e.answer === 'stream') return void (await inner(asked));
      const run = async () => ({ status: e.status ?? 200, answer: await inner(asked) });
      const key = e.once ? req.get('idempotency-key') : undefined;
      const { status, answer } =
        key === undefined
          ? await run()
          : await once(deps, asked.signed, key, { method: req.method, path: req.path, body: req.body }, run);
      if (answer instanceof WrittenAnswer) {
        res.status(status).type('application/json').send(answer.json);
        return;
      }
      if (e.etag) res.setHeader('ETag', `"${etagOf(answer)}"`);
      res.status(status).json(answer);
    });
  };
}

/** A record's version; of what has none, a hash of the answer. */
export function etagOf(answer: unknown): string {
  const { version } = answer as { version?: unknown };
  return typeof version === 'number'
    ? `v${version}`
    : createHash('sha256').update(JSON.stringify(answer)).digest('base64url').slice(0, 22);
}

function read(e: Endpoint, req: Request, res: Response): Asked {
  const has = (parameter: string): boolean => e.path.includes(`{${parameter}}`);
  const kind = partKinds.find((k) => k === req.params.kind);
  if (has('kind') && !kind) throw new Problem('not_found');
  // What is no ID is no record.
  const id = has('id') ? recordId.safeParse(String(req.params.id).trim().toUpperCase()) : null;
  if (id && !id.success) throw new Problem('not_found');
  const match = req.get('if-match')?.trim();
  return {
    query: (e.query ? parseInput(e.query, req.query) : undefined) as undefined,
    body: (e.body ? parseInput(e.body, req.body ?? {}) : undefined) as undefined,
    id: id?.data ?? '',
    kind: kind ?? 'campaign',
    signed: (req as SignedRequest).signed,
    ifMatch: match === undefined || match === '*' ? null : match.replace(/^(W\/)?"(.*)"$/, '$2'),
    req,
    res,
  };
}

const sessionOnly: RequestHandler = (req, _res, next) => {
  // Signing in and out come before anybody is known.
  if ((req as Partial<SignedRequest>).signed?.token) throw new Problem('session_only');
  next();
};
