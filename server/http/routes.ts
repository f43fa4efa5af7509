/** The API of the desk. Every route is behind a session; what changes anything needs a role, said beside it. */
import express, { Router, type Request } from 'express';
import type { Pool } from 'pg';
import { z } from 'zod';
import {
  deskInput,
  memberInput,
  memberRoleInput,
  partKinds,
  passwordInput,
  periods,
  rateInput,
  recordId,
  saveEnvelope,
  signInInput,
  type Me,
  type PartKind,
  type RateRow,
} from '@tracheon/core/contract';
import { clickIdDay, parseClickId } from '@tracheon/core/identity';
import { rateNanos, rateText } from '@tracheon/core/money';
import { addMember, changePassword, checkSignIn, listMembers, setRole } from '../accounts/accounts.ts';
import type { Config } from '../config/config.ts';
import type { Models } from '../db/models.ts';
import type { Judgement } from '../intake/judge.ts';
import { loadReceipt } from '../intake/sweeper.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import {
  bumpConfiguration,
  createPart,
  listParts,
  nameIsFree,
  setState,
  updatePart,
  type Editor,
} from '../parts/partsStore.ts';
import { usedBy } from '../parts/references.ts';
import { rebookUnconverted } from '../intake/rebook.ts';
import {
  listBooked,
  listCallsIn,
  listCallsOut,
  listVisits,
  oneVisit,
  type ListQuery,
} from '../reports/lists.ts';
import { attention } from '../reports/attention.ts';
import { campaignByDay, campaignsReport, MAX_STEPS_BACK, type ReportDesk } from '../reports/reports.ts';
import type { NewsDesk } from '../stream/news.ts';
import { parseInput, Problem } from './problem.ts';
import {
  checkOrigin,
  sessionCookie,
  csrfToken,
  requireMember,
  requireRole,
  throttleSignIn,
  type SignedRequest,
} from './security.ts';

export interface ApiDeps {
  config: Config;
  models: Models;
  pool: Pool;
  news: NewsDesk;
  judge: (receipt: ReceiptRecord) => Promise<Judgement>;
  /** Campaigns of the desk that run on their last good version. */
  broken: (deskId: string) => number;
  now: () => number;
}

const signed = (req: Request): SignedRequest['signed'] => (req as SignedRequest).signed;
const editorOf = (req: Request): Editor => signed(req);
const kindOf = (req: Request): PartKind => {
  const found = partKinds.find((k) => k === req.params.kind);
  if (!found) throw new Problem('not_found');
  return found;
};
/** An ID out of the address; what is no ID is no record. */
const idParam = (req: Request): string => {
  const id = recordId.safeParse(req.params.id);
  if (!id.success) throw new Problem('not_found');
  return id.data;
};

export function apiRouter(deps: ApiDeps): Router {
  const api = Router();
  api.use(checkOrigin(deps.config.desk.origin));
  api.use(express.json({ limit: '256kb' }));
  signInRoutes(api, deps);
  api.use(requireMember(deps.models, deps.config.secret));
  deskRoutes(api, deps);
  partRoutes(api, deps);
  reportRoutes(api, deps);
  return api;
}

function signInRoutes(api: Router, { models, config }: ApiDeps): void {
  api.post('/sign-in', throttleSignIn(), async (req, res) => {
    const { email, password } = parseInput(signInInput, req.body);
    const who = await checkSignIn(models, email, password);
    // A new session ID, so that one planted before signing in is worth nothing.
    await new Promise<void>((resolve, reject) =>
      req.session.regenerate((e: unknown) => (e ? reject(e as Error) : resolve())),
    );
    Object.assign(req.session, who);
    res.json({ csrfToken: csrfToken(config.secret, req.sessionID) });
  });
  api.post('/sign-out', async (req, res) => {
    await new Promise<void>((resolve) => req.session.destroy(() => resolve()));
    res.clearCookie(sessionCookie(config.desk.origin.startsWith('https:'))).json({});
  });
}

async function deskOf(models: Models, deskId: string): Promise<ReportDesk & { name: string }> {
  const desk = await models.Desk.findByPk(deskId);
  if (!desk) throw new Problem('not_found');
  const { id, name, zone, currency } = desk.get();
  return { id, name, zone, currency };
}

function deskRoutes(api: Router, { models, pool, config, news }: ApiDeps): void {
  api.get('/me', async (req, res) => {
    const { memberId, deskId, role } = signed(req);
    const member = (await models.Member.findByPk(memberId))!.get();
    const me: Me = {
      member: { id: member.id, name: member.name, email: member.email },
      desk: await deskOf(models, deskId),
      role,
      csrfToken: csrfToken(config.secret, req.sessionID),
      trackingOrigin: config.tracking.origin,
    };
    res.json(me);
  });
  api.put('/me/password', throttleSignIn(), async (req, res) => {
    const input = parseInput(passwordInput, req.body);
    await changePassword(models, signed(req).memberId, req.sessionID, input);
    res.json({});
  });
  api.get('/stream', (req, res) => news.open(res, signed(req).deskId));
  api.put('/desk', requireRole('owner'), async (req, res) => {
    const input = parseInput(deskInput, req.body);
    const { deskId } = signed(req);
    const before = await deskOf(models, deskId);
    if (before.currency !== input.currency && (await hasLedger(pool, deskId)))
      throw new Problem('invalid_input', {
        fields: [
          {
            path: 'currency',
            message: 'Conversions are booked already: the currency of a desk cannot change any more.',
          },
        ],
      });
    await models.sequelize.transaction(async (transaction) => {
      await models.Desk.update(input, { where: { id: deskId }, transaction });
      await bumpConfiguration(models, transaction);
    });
    res.json(await deskOf(models, deskId));
  });
  api.get('/members', async (req, res) => res.json(await listMembers(models, signed(req).deskId)));
  api.post('/members', requireRole('owner'), async (req, res) => {
    res.status(201).json(await addMember(models, signed(req).deskId, parseInput(memberInput, req.body)));
  });
  api.put('/members/:id/role', requireRole('owner'), async (req, res) => {
    await setRole(models, signed(req).deskId, idParam(req), parseInput(memberRoleInput, req.body).role);
    res.json({});
  });
  api.get('/rates', async (req, res) => {
    const rows = await models.Rate.findAll({
      where: { deskId: signed(req).deskId },
      order: [
        ['day', 'DESC'],
        ['base', 'ASC'],
      ],
    });
    res.json(
      rows.map((r): RateRow => ({
        base: r.get().base,
        day: r.get().day,
        rate: rateText(BigInt(r.get().nanos)),
      })),
    );
  });
  api.put('/rates', requireRole('editor'), async (req, res) => {
    const { base, day, rate } = parseInput(rateInput, req.body);
    const { deskId } = signed(req);
    const desk = await deskOf(models, deskId);
    if (base === desk.currency)
      throw new Problem('invalid_input', {
        fields: [{ path: 'base', message: 'This is the desk’s own currency.' }],
      });
    await models.Rate.upsert({ deskId, base, day, nanos: rateNanos(rate).toString() });
    const converted = await rebookUnconverted(pool, deskId, base);
    news.tell(deskId, 'booked');
    res.json({ converted });
  });
}

async function hasLedger(pool: Pool, deskId: string): Promise<boolean> {
  return (await pool.query('SELECT 1 FROM ledger WHERE desk_id = $1 LIMIT 1', [deskId])).rows.length > 0;
}

function partRoutes(api: Router, { models, news }: ApiDeps): void {
  api.get('/parts', async (req, res) => res.json(await listParts(models, signed(req).deskId)));
  api.get('/parts/:kind', async (req, res) =>
    res.json(await listParts(models, signed(req).deskId, kindOf(req))),
  );
  api.get('/parts/:kind/name-free', async (req, res) => {
    const q = parseInput(z.object({ name: z.string().max(200), except: z.string().default('') }), req.query);
    res.json({ free: await nameIsFree(models, signed(req).deskId, kindOf(req), q.name, q.except) });
  });
  api.post('/parts/:kind', requireRole('editor'), async (req, res) => {
    const record = await createPart(models, editorOf(req), kindOf(req), req.body);
    news.tell(signed(req).deskId, 'parts');
    res.status(201).json(record);
  });
  api.put('/parts/:kind/:id', requireRole('editor'), async (req, res) => {
    const { version, body } = parseInput(saveEnvelope, req.body);
    const record = await updatePart(models, editorOf(req), kindOf(req), idParam(req), version, body);
    news.tell(signed(req).deskId, 'parts');
    res.json(record);
  });
  api.put('/parts/:kind/:id/state', requireRole('editor'), async (req, res) => {
    const { state } = parseInput(z.object({ state: z.enum(['live', 'stopped', 'archived']) }), req.body);
    const record = await setState(models, editorOf(req), kindOf(req), idParam(req), state);
    news.tell(signed(req).deskId, 'parts');
    res.json(record);
  });
  api.get('/parts/:kind/:id/used-by', async (req, res) => {
    const [deskId, id] = [signed(req).deskId, idParam(req)];
    if ((await models.Part.count({ where: { id, deskId, kind: kindOf(req) } })) === 0)
      throw new Problem('not_found');
    res.json(await usedBy(models, deskId, id));
  });
}

const periodQuery = z.object({
  period: z.enum(periods).default('7d'),
  back: z.coerce.number().int().min(0).max(MAX_STEPS_BACK).default(0),
});
const MAX_PAGE = 200;
const listQuery = z.object({
  search: z.string().max(200).default(''),
  before: z.string().max(26).default(''),
  limit: z.coerce.number().int().min(1).max(MAX_PAGE).default(50),
  campaign: z.string().max(26).default(''),
  kind: z.string().max(20).default(''),
});

function reportRoutes(api: Router, deps: ApiDeps): void {
  const { models, pool } = deps;
  const list = (req: Request): ListQuery => {
    const { campaign, ...q } = parseInput(listQuery, req.query);
    return { deskId: signed(req).deskId, campaignId: campaign, ...q };
  };
  api.get('/reports/campaigns', async (req, res) => {
    const { period, back } = parseInput(periodQuery, req.query);
    res.json(await campaignsReport(pool, await deskOf(models, signed(req).deskId), period, back, deps.now()));
  });
  api.get('/reports/campaigns/:id', async (req, res) => {
    const { period, back } = parseInput(periodQuery, req.query);
    const desk = await deskOf(models, signed(req).deskId);
    const id = idParam(req);
    if ((await models.Part.count({ where: { id, deskId: desk.id, kind: 'campaign' } })) === 0)
      throw new Problem('not_found');
    res.json(await campaignByDay(pool, desk, id, period, back, deps.now()));
  });
  api.get('/attention', async (req, res) => {
    const { deskId } = signed(req);
    res.json(await attention(pool, await deskOf(models, deskId), deps.broken(deskId), deps.now()));
  });
  api.get('/visits', async (req, res) => res.json(await listVisits(pool, list(req))));
  api.get('/visits/:id', async (req, res) => {
    const id = parseClickId(String(req.params.id));
    const visit = id && (await oneVisit(pool, signed(req).deskId, id));
    if (!visit) throw new Problem('not_found');
    res.json(visit);
  });
  api.get('/calls-in', async (req, res) => res.json(await listCallsIn(pool, list(req))));
  api.post('/calls-in/:id/judge', requireRole('editor'), async (req, res) => {
    const id = parseClickId(String(req.params.id));
    const receipt = id && (await loadReceipt(pool, signed(req).deskId, id, clickIdDay(id)));
    if (!receipt) throw new Problem('not_found');
    const judgement = await deps.judge(receipt);
    deps.news.tell(receipt.deskId, 'calls-in', 'booked', 'calls-out');
    res.json(judgement);
  });
  api.get('/booked', async (req, res) => res.json(await listBooked(pool, list(req))));
  api.get('/calls-out', async (req, res) => res.json(await listCallsOut(pool, list(req))));
  api.post('/calls-out/:id/retry', requireRole('editor'), async (req, res) => {
    const done = await pool.query(
      `UPDATE outbox SET state = 'waiting', next_try_at = now(), trying_since = now() WHERE desk_id = $1 AND id = $2 AND state = 'parked'`,
      [signed(req).deskId, idParam(req)],
    );
    if (done.rowCount === 0) throw new Problem('not_found');
    deps.news.tell(signed(req).deskId, 'calls-out');
    res.json({});
  });
}
