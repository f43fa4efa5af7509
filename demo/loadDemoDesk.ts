/** Fills a new desk with the demo scenario: Parts through the same store as the API, events through the same writers and judge. */
import type { NetworkInput, PartKind, PartRecord, SourceInput } from '@tracheon/core/contract';
import { makeCosts } from './makeCosts.ts';
import { makeUlid } from '@tracheon/core/identity';
import { postbackUrl, trackingLink } from '@tracheon/core/links';
import { rateNanos } from '@tracheon/core/money';
import { routeTo } from '@tracheon/core/routing';
import type { Models } from '@tracheon/server/db/models.ts';
import { ensurePartitions, isoDay } from '@tracheon/server/db/partitions.ts';
import { openPipelinedPool, openPool } from '@tracheon/server/db/pools.ts';
import { commitClicks, commitReceipts, commitVisits } from '@tracheon/server/events/commitRows.ts';
import type { ReceiptRecord } from '@tracheon/server/events/rows.ts';
import { JudgeQueue } from '@tracheon/server/intake/judgeQueue.ts';
import { listParts, type Editor } from '@tracheon/server/parts/partRecords.ts';
import { createPart } from '@tracheon/server/parts/partsStore.ts';
import { brokenPostbacks, makePostbacks, type CallTarget } from './makePostbacks.ts';
import { makeVisits, type DemoVisit } from './makeVisits.ts';
import type { Lead } from '@tracheon/practice/affiliate/leads.ts';
import type { Search } from '@tracheon/practice/feed/searches.ts';
import type { Random } from '@tracheon/practice/habits/random.ts';
import type { Flow } from '@tracheon/practice/habits/traffic.ts';
import { seededRandom } from '@tracheon/core/chance';
import { makeFeed, type MadeFeed } from './makeFeed.ts';
import { makePartners } from './makePartners.ts';
import { makeWatches } from './makeWatches.ts';
import { feedPlan, plans, waysOf, type CampaignPlan, type DemoWay } from './plans.ts';
import { landingPages, networks, offers, pageContents, sources, type PracticeOrigins } from './scenario.ts';

const DAY_MS = 86_400_000;
const SEED = 20_261_101;
const HISTORY_DAYS = 61;
/** Of one statement of the load. */
const LOAD_PATIENCE_MS = 600_000;
const BATCH = 1000;
/** Judgements at the same time; they wait for each other only on the same visit. */
const JUDGES = 128;
/** The campaign that the practice ad network runs: its source and network are the practice partners themselves. */
const HANDED_OVER = 'BE · Stargazing · Moorhen Push';

export interface DemoDesk {
  visits: number;
  postbacks: number;
  /** What the practice partners are given, from the tracking origin on: as a member would have pasted it. */
  handedOver: {
    campaign: string;
    trackingLink: string;
    postback: string;
    /** The traffic that goes on from the history. */
    flow: Flow;
    /** Orders whose decisions are still to come. */
    leads: Lead[];
    /** What stands on the desk's pages, `ORIGIN` for the tracking domain. */
    pages: ReturnType<typeof pageContents>;
    /** What visitors searched for at the search feed. */
    searches: Search[];
  };
}

export async function loadDemoDesk(
  models: Models,
  url: string,
  deskId: string,
  practice: PracticeOrigins,
  serverSecret: string,
  nowMs: number,
  share = 1,
  /** Of the person who signs in for a partner; empty: nobody does. */
  password = '',
): Promise<DemoDesk> {
  const pool = openPatientPool(url);
  const judging = openPipelinedPool(url, 'demo judging', JUDGES);
  try {
    await ensurePartitions(pool, nowMs - HISTORY_DAYS * DAY_MS, nowMs + 3 * DAY_MS);
    const member = await models.Membership.findOne({ where: { deskId, role: 'owner' } });
    const by: Editor = { deskId, memberId: member!.get().memberId };
    const parts = await makeParts(models, by, practice);
    // The desk has been at work for as long as its visits go back.
    await pool.query(`UPDATE parts SET created_at = $2, updated_at = $2 WHERE desk_id = $1`, [
      deskId,
      new Date(nowMs - HISTORY_DAYS * DAY_MS),
    ]);
    await makeRates(models, deskId, nowMs);
    const random = seededRandom(SEED);
    const postbacks: ReceiptRecord[] = [];
    let visitCount = 0;
    const larkspurVisits: DemoVisit[] = [];
    const open: Lead[] = [];
    for (const plan of plans) {
      const networkId = networkOf(parts.offer[plan.offer]!);
      const ids = {
        deskId,
        campaignId: parts.campaign[plan.name]!.id,
        sourceId: parts.source[plan.source]!.id,
      };
      const ways = waysOf(plan).map((way) => ({ ...way, ids: wayIds(way, parts) }));
      const visits = makeVisits(plan, ids, ways, nowMs, random, share);
      await commitAll(pool, visits);
      visitCount += visits.length;
      const style = networkId === parts.network.larkspur!.id ? 'larkspur' : 'saltmarsh';
      const target: CallTarget = { deskId, networkId, intakeKey: parts.network[style]!.key, style };
      if (style === 'larkspur') larkspurVisits.push(...visits);
      const made = makePostbacks(plan, visits, target, nowMs, random);
      postbacks.push(...made.postbacks);
      open.push(...made.open);
    }
    const target: CallTarget = {
      deskId,
      networkId: parts.network.larkspur!.id,
      intakeKey: parts.network.larkspur!.key,
      style: 'larkspur',
    };
    postbacks.push(
      ...brokenPostbacks(
        target,
        larkspurVisits.slice(-40).map((v) => v.row.id),
        nowMs,
        random,
      ),
    );
    postbacks.sort((a, b) => a.receivedMs - b.receivedMs);
    for (let i = 0; i < postbacks.length; i += BATCH)
      await commitReceipts(pool)(postbacks.slice(i, i + BATCH));
    await judgeAll(judging, postbacks);
    await backdateChanges(pool, deskId);
    await settleOutbox(pool, deskId, nowMs, random);
    const desk = await models.Desk.findByPk(deskId);
    const costs = { billed: parts.source.quayside!.id, refunded: parts.source.lapwing!.id };
    await makeWatches(pool, by, { pops: parts.source.lapwing!.id, push: parts.source.moorhen!.id });
    await makeCosts(pool, by, { ...costs, zone: desk!.get().zone }, nowMs);
    const feed: MadeFeed =
      practice.feed === null
        ? { visits: 0, searches: [] }
        : await makeFeed(models, pool, by, parts.source[feedPlan.source]!, {
            origin: practice.feed,
            serverSecret,
            nowMs,
            share,
          });
    const byPartners = await makePartners(models, pool, by, { judging, judgeAll, nowMs, share, password });
    await pool.query('ANALYZE visits, button_clicks, receipts, outcomes, conversions, ledger');
    return {
      visits: visitCount + feed.visits + byPartners,
      postbacks: postbacks.length,
      handedOver: { ...handedOver(parts, open, share), searches: feed.searches },
    };
  } finally {
    await judging.end();
    await pool.end();
  }
}

/** Nobody waits for a screen, and a slow machine takes its time. */
const openPatientPool = (url: string): ReturnType<typeof openPool> =>
  openPool(url, 'demo', 6, LOAD_PATIENCE_MS, { settings: { statement_timeout: String(LOAD_PATIENCE_MS) } });

const networkOf = (offer: PartRecord): string => (offer.body as { networkId: string }).networkId;

const wayIds = (way: DemoWay, { offer, landing }: Made) => ({
  offerId: offer[way.offer]!.id,
  networkId: networkOf(offer[way.offer]!),
  landingId: way.page ? landing[way.page.key]!.id : '',
  landingVersion: way.page ? 1 : 0,
});

/** The one way of a campaign, or an automatic split over several. */
function routingOf(plan: CampaignPlan, offer: Made['offer'], landing: Made['landing']): object {
  const ways = waysOf(plan).map(({ id, ...way }) => ({
    id,
    offerIds: [offer[way.offer]!.id],
    landingPageId: way.page ? landing[way.page.key]!.id : '',
  }));
  return plan.split
    ? { routing: { branches: [], otherwise: { split: 'automatic', pairings: ways } } }
    : routeTo(ways[0]!.offerIds[0]!, ways[0]!.landingPageId);
}

/** Batches of different days fill different tables, so that several at a time do not wait for each other. */
async function commitAll(pool: ReturnType<typeof openPool>, visits: readonly DemoVisit[]): Promise<void> {
  const starts = Array.from({ length: Math.ceil(visits.length / BATCH) }, (_, i) => i * BATCH);
  const lane = async (): Promise<void> => {
    for (let from = starts.pop(); from !== undefined; from = starts.pop())
      await commitBatch(visits.slice(from, from + BATCH));
  };
  const commitBatch = async (batch: readonly DemoVisit[]): Promise<void> => {
    await commitVisits(pool)(batch.map((v) => v.row));
    const clicks = batch.flatMap((v) => v.clicks);
    if (clicks.length > 0) await commitClicks(pool)(clicks);
  };
  await Promise.all([lane(), lane(), lane()]);
}

/** In the order of their arrival; several at a time, since only postbacks of one visit depend on each other. */
async function judgeAll(pool: ReturnType<typeof openPool>, postbacks: ReceiptRecord[]): Promise<void> {
  const queue = [...postbacks].reverse();
  const judges = new JudgeQueue(pool);
  await Promise.all(
    Array.from({ length: JUDGES }, async () => {
      for (let call = queue.pop(); call; call = queue.pop()) await judges.judge(call);
    }),
  );
}

/** As if each change of a conversion had been booked when its postback came. */
async function backdateChanges(pool: ReturnType<typeof openPool>, deskId: string): Promise<void> {
  // Of tables that were filled just now nothing is known: each row would be compared with each.
  await pool.query('ANALYZE outcomes, fact_changes, outbox, attempts');
  await pool.query(
    `UPDATE fact_changes f SET at = o.received_at FROM
       (SELECT id, subject_id, row_number() OVER (PARTITION BY subject_id ORDER BY id) AS n FROM fact_changes
        WHERE desk_id = $1 AND kind = 'conversion') k
     JOIN (SELECT conversion_id, received_at, row_number() OVER (PARTITION BY conversion_id ORDER BY receipt_id) AS n
        FROM outcomes WHERE desk_id = $1 AND conversion_id <> '' AND reason IN ('booked', 'moved')) o
       ON o.conversion_id = k.subject_id AND o.n = k.n
     WHERE f.id = k.id`,
    [deskId],
  );
}

function handedOver(parts: Made, leads: Lead[], share: number): Omit<DemoDesk['handedOver'], 'searches'> {
  const { perDay, cr, country, price } = plans.find((p) => p.name === HANDED_OVER)!;
  const campaign = parts.campaign[HANDED_OVER]!;
  const source = parts.source.moorhen!.body as SourceInput;
  const network = parts.network.larkspur!;
  return {
    campaign: campaign.body.name,
    trackingLink: trackingLink('', campaign.key, source),
    postback: postbackUrl('', network.key, network.body as NetworkInput),
    flow: { perDay: perDay * share, buys: cr, country, price },
    // Newest first, as the network keeps them.
    leads: leads.sort((a, b) => b.at - a.at),
    pages: pageContents(Object.fromEntries(Object.entries(parts.landing).map(([k, r]) => [k, r.key]))),
  };
}

type Made = Record<'network' | 'source' | 'landing' | 'offer' | 'campaign', Record<string, PartRecord>>;

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
  const network = await make('network', networks(sale.id, events.upsell!.id, practice));
  const source = await make('source', sources(practice));
  const landing = await make('landing-page', landingPages(practice));
  const networkIds = Object.fromEntries(Object.entries(network).map(([k, r]) => [k, r.id]));
  const offer = await make('offer', offers(practice, networkIds));
  const campaign = await make(
    'campaign',
    Object.fromEntries(
      plans.map((p) => [
        p.name,
        {
          name: p.name,
          sourceId: source[p.source]!.id,
          ...routingOf(p, offer, landing),
          country: p.country,
          ...p.cost,
        },
      ]),
    ),
  );
  return { network, source, landing, offer, campaign };
}

async function makeRates(models: Models, deskId: string, nowMs: number): Promise<void> {
  const rates: [number, string][] = [
    [62, '0.9180'],
    [41, '0.9205'],
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
 * Postbacks out of past days were made in those days: they are entered as they went then. Lapwing's address is wrong and
 * answered 404 each time, so its postbacks are parked.
 */
async function settleOutbox(
  pool: ReturnType<typeof openPool>,
  deskId: string,
  nowMs: number,
  random: Random,
): Promise<void> {
  const { rows } = await pool.query<{ id: string; at: Date }>(
    `SELECT o.id, c.converted_at AS at FROM outbox o JOIN conversions c ON c.id = o.conversion_id WHERE o.desk_id = $1 AND c.converted_at < $2`,
    [deskId, new Date(nowMs)],
  );
  // Lists are read by ID, so each gets the one that it would have got then.
  const ids = rows.map((r) =>
    makeUlid(
      r.at.getTime(),
      Array.from({ length: 16 }, () => Math.floor(random() * 32)),
    ),
  );
  await pool.query(
    `WITH told AS (
       UPDATE outbox o SET id = n.id, tries = 1, created_at = n.at, trying_since = n.at,
         delivered_at = CASE WHEN s.name = 'Lapwing Pops' THEN NULL ELSE n.at END,
         state = CASE WHEN s.name = 'Lapwing Pops' THEN 'gave_up' ELSE 'delivered' END
       FROM unnest($1::text[], $2::text[], $3::timestamptz[]) AS n (old_id, id, at), parts s
       WHERE o.id = n.old_id AND s.id = o.destination_id RETURNING o.id, o.state, n.at)
     INSERT INTO attempts (outbox_id, at, result, http_status, took_ms)
     SELECT id, at, CASE state WHEN 'gave_up' THEN 'answered 404' ELSE 'delivered' END,
       CASE state WHEN 'gave_up' THEN 404 ELSE 200 END, 40 + (extract(epoch FROM at)::int % 90) FROM told`,
    [rows.map((r) => r.id), ids, rows.map((r) => r.at)],
  );
}
