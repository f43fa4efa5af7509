/** Fills a new desk with the demo scenario: Parts through the same store as the API, events through the same writers and judge. */
import type { PartKind, PartRecord } from '@tracheon/core/contract';
import { rateNanos } from '@tracheon/core/money';
import type { Models } from '@tracheon/server/db/models.ts';
import { ensurePartitions, isoDay } from '@tracheon/server/db/partitions.ts';
import { openPool } from '@tracheon/server/db/pools.ts';
import { commitReceipts, commitVisits } from '@tracheon/server/events/commitRows.ts';
import type { ReceiptRecord } from '@tracheon/server/events/rows.ts';
import { judge } from '@tracheon/server/intake/judge.ts';
import { createPart, listParts, type Editor } from '@tracheon/server/parts/partsStore.ts';
import { brokenCalls, makeCalls, type CallTarget } from './makeCalls.ts';
import { makeVisits, type DemoVisit } from './makeVisits.ts';
import { seeded } from './random.ts';
import { networks, offers, plans, sources, type PracticeOrigins } from './scenario.ts';

const DAY_MS = 86_400_000;
const SEED = 20_261_101;
const HISTORY_DAYS = 31;
const BATCH = 500;
/** Judgements at the same time; they wait for each other only on the same visit. */
const JUDGES = 4;

export async function loadDemoDesk(
  models: Models,
  url: string,
  deskId: string,
  practice: PracticeOrigins,
  nowMs: number,
): Promise<{ visits: number; calls: number }> {
  const pool = openPool(url, 'demo', 6);
  try {
    await ensurePartitions(pool, nowMs - HISTORY_DAYS * DAY_MS, nowMs + 3 * DAY_MS);
    const member = await models.Membership.findOne({ where: { deskId, role: 'owner' } });
    const by: Editor = { deskId, memberId: member!.get().memberId };
    const parts = await makeParts(models, by, practice);
    await makeRates(models, deskId, nowMs);
    const random = seeded(SEED);
    const calls: ReceiptRecord[] = [];
    let visitCount = 0;
    const larkspurVisits: DemoVisit[] = [];
    for (const plan of plans) {
      const offer = parts.offer[plan.offer]!;
      const networkId = (offer.body as { networkId: string }).networkId;
      const ids = {
        deskId,
        campaignId: parts.campaign[plan.name]!.id,
        sourceId: parts.source[plan.source]!.id,
        offerId: offer.id,
        networkId,
      };
      const visits = makeVisits(plan, ids, nowMs, random);
      for (let i = 0; i < visits.length; i += BATCH)
        await commitVisits(pool)(visits.slice(i, i + BATCH).map((v) => v.row));
      visitCount += visits.length;
      const style = networkId === parts.network.larkspur!.id ? 'larkspur' : 'saltmarsh';
      const target: CallTarget = { deskId, networkId, intakeKey: parts.network[style]!.key, style };
      if (style === 'larkspur') larkspurVisits.push(...visits);
      calls.push(...makeCalls(plan, visits, target, nowMs, random));
    }
    const target: CallTarget = {
      deskId,
      networkId: parts.network.larkspur!.id,
      intakeKey: parts.network.larkspur!.key,
      style: 'larkspur',
    };
    calls.push(
      ...brokenCalls(
        target,
        larkspurVisits.slice(-40).map((v) => v.row.id),
        nowMs,
        random,
      ),
    );
    calls.sort((a, b) => a.receivedMs - b.receivedMs);
    for (let i = 0; i < calls.length; i += BATCH) await commitReceipts(pool)(calls.slice(i, i + BATCH));
    await judgeAll(pool, calls);
    await settleOutbox(pool, deskId, nowMs);
    await pool.query('ANALYZE visits, receipts, outcomes, conversions, ledger');
    return { visits: visitCount, calls: calls.length };
  } finally {
    await pool.end();
  }
}

/** In the order of their arrival; several at a time, since only calls of one visit depend on each other. */
async function judgeAll(pool: ReturnType<typeof openPool>, calls: ReceiptRecord[]): Promise<void> {
  const queue = [...calls].reverse();
  await Promise.all(
    Array.from({ length: JUDGES }, async () => {
      for (let call = queue.pop(); call; call = queue.pop()) await judge(pool, call);
    }),
  );
}

type Made = Record<'network' | 'source' | 'offer' | 'campaign', Record<string, PartRecord>>;

async function makeParts(models: Models, by: Editor, practice: PracticeOrigins): Promise<Made> {
  const make = async (kind: PartKind, all: Record<string, unknown>): Promise<Record<string, PartRecord>> => {
    const made: Record<string, PartRecord> = {};
    for (const [key, body] of Object.entries(all)) made[key] = await createPart(models, by, kind, body);
    return made;
  };
  const sale = (await listParts(models, by.deskId, 'event-type'))[0]!;
  const events = await make('event-type', {
    upsell: {
      name: 'Upsell',
      word: 'upsell',
      repeats: true,
      countsAsConversion: false,
      countsAsRevenue: true,
    },
    signup: {
      name: 'Sign-up',
      word: 'signup',
      repeats: false,
      countsAsConversion: true,
      countsAsRevenue: true,
    },
  });
  const network = await make('network', networks(sale.id, events.upsell!.id));
  const source = await make('source', sources(practice));
  const networkIds = Object.fromEntries(Object.entries(network).map(([k, r]) => [k, r.id]));
  const offer = await make('offer', offers(practice, networkIds));
  const campaign = await make(
    'campaign',
    Object.fromEntries(
      plans.map((p) => [
        p.name,
        { name: p.name, sourceId: source[p.source]!.id, offerId: offer[p.offer]!.id, ...p.cost },
      ]),
    ),
  );
  return { network, source, offer, campaign };
}

async function makeRates(models: Models, deskId: string, nowMs: number): Promise<void> {
  const rates: [number, string][] = [
    [60, '0.9180'],
    [20, '0.9214'],
    [8, '0.9166'],
    [2, '0.9231'],
  ];
  for (const [back, rate] of rates)
    await models.Rate.create({
      deskId,
      base: 'USD',
      day: isoDay(nowMs - back * DAY_MS),
      nanos: rateNanos(rate).toString(),
    });
}

/**
 * Calls out of past days were made in those days: they are entered as they went then. Lapwing's address is wrong and
 * answered 404 each time, so its calls are parked.
 */
async function settleOutbox(pool: ReturnType<typeof openPool>, deskId: string, nowMs: number): Promise<void> {
  await pool.query(
    `WITH told AS (
       UPDATE outbox o SET tries = 1, created_at = c.converted_at, delivered_at = CASE WHEN s.name = 'Lapwing Pops' THEN NULL ELSE c.converted_at END,
         state = CASE WHEN s.name = 'Lapwing Pops' THEN 'parked' ELSE 'delivered' END
       FROM conversions c, parts s WHERE o.desk_id = $1 AND c.id = o.conversion_id AND s.id = o.source_id AND c.converted_at < $2
       RETURNING o.id, o.state, c.converted_at)
     INSERT INTO attempts (outbox_id, at, result, http_status, took_ms)
     SELECT id, converted_at, CASE state WHEN 'parked' THEN 'answered 404' ELSE 'delivered' END,
       CASE state WHEN 'parked' THEN 404 ELSE 200 END, 40 + (extract(epoch FROM converted_at)::int % 90) FROM told`,
    [deskId, new Date(nowMs)],
  );
}
