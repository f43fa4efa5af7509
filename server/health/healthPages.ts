/**
 * For whoever watches over the server: `/healthz` (the process answers), `/readyz` (it answers, and the database does),
 * `/metrics` (Prometheus). The metrics name no desk, campaign or visitor; all the same they are told only to this
 * machine itself, or to whoever has the token.
 */
import { timingSafeEqual } from 'node:crypto';
import { Router, type Request } from 'express';
import { isLoopback } from '../addresses/addresses.ts';
import { Problem } from '../problems/problem.ts';
import type { Health } from './health.ts';
import type { Metrics } from './metrics.ts';

export function healthPages(w: { health: Health; metrics: Metrics }, token: string): Router {
  const pages = Router();
  pages.get('/healthz', (_req, res) => void res.json({ alive: true }));
  pages.get('/readyz', (_req, res) => {
    const { database, disk } = w.health.news;
    const ready = w.health.ready && database === 'up';
    res.status(ready ? 200 : 503).json({ ready, database, disk });
  });
  pages.get('/metrics', async (req, res) => {
    if (!mayRead(req, token)) throw new Problem('not_signed_in');
    res.type(w.metrics.contentType).send(await w.metrics.text());
  });
  return pages;
}

/** A proxy on this machine is not this machine: it says for whom it asks. */
function mayRead(req: Request, token: string): boolean {
  if (token !== '') {
    const given = Buffer.from(/^Bearer (.+)$/i.exec(req.get('authorization') ?? '')?.[1] ?? '');
    const wanted = Buffer.from(token);
    return given.length === wanted.length && timingSafeEqual(given, wanted);
  }
  return isLoopback(req.socket.remoteAddress ?? '') && req.get('x-forwarded-for') === undefined;
}
