/**
 * An offer of the desk's own that three partners promote: an advertiser with whom the desk works directly, a campaign that
 * partners get their links from, their visits, and what they are paid for what those bought. It has randomness of its own, so
 * that the rest of the desk stays as it is without it.
 */
import type pg from 'pg';
import type { BillingStatement, PartKind, PartRecord } from '@tracheon/core/contract';
import { seededRandom } from '@tracheon/core/chance';
import { routeTo } from '@tracheon/core/routing';
import { issue } from '@tracheon/server/billing/issue.ts';
import { makePayment, movePayment } from '@tracheon/server/billing/payments.ts';
import type { Models } from '@tracheon/server/db/models.ts';
import { commitReceipts, commitVisits } from '@tracheon/server/events/commitRows.ts';
import type { ReceiptRecord, VisitRecord } from '@tracheon/server/events/rows.ts';
import { JudgeQueue } from '@tracheon/server/intake/judgeQueue.ts';
import { listParts, type Editor } from '@tracheon/server/parts/partRecords.ts';
import { createPart } from '@tracheon/server/parts/partsStore.ts';
import { Problem } from '@tracheon/server/problems/problem.ts';
import { approveDuePayouts, reviewPayoutsByHand } from '@tracheon/server/repairs/payoutReviews.ts';
import { weighted } from '@tracheon/practice/habits/random.ts';
import { makePostbacks } from './makePostbacks.ts';
import { makeVisits } from './makeVisits.ts';
import { usePartnerLink, addPartnerUser } from '@tracheon/server/partners/partnerUsers.ts';
import { acceptTerms, askForOffer, decideOfferAccess } from '@tracheon/server/partners/access.ts';
import { partnerPlan, waysOf } from './plans.ts';

const SEED = 20_261_128;
const DAY_MS = 86_400_000;
const HOUR_MS = 3_600_000;
const REJECTED = 3;
/** Few buy, so a smaller desk takes no smaller part of these visits: some payouts wait, some are rejected, at any hour of the day. */
const LEAST_SHARE = 0.5;
/** Signs in at the partner page. */
export const PARTNER_PERSON = { name: 'Ines Marou', email: 'ines@avocet.example' };

interface Given {
  judging: pg.Pool;
  judgeAll: (pool: pg.Pool, postbacks: ReceiptRecord[]) => Promise<void>;
  nowMs: number;
  share: number;
  /** Of the person of the first partner who signs in at the partner page; empty: nobody does. */
  password: string;
}

/** Returns how many visits were made. */
export async function makePartners(
  models: Models,
  pool: pg.Pool,
  by: Editor,
  { judging, judgeAll, nowMs, share, password }: Given,
): Promise<number> {
  const random = seededRandom(SEED);
  const { advertiser, offer, source, campaign, partners, asking } = await makeRecords(models, by);
  await pool.query('UPDATE parts SET created_at = $2, updated_at = $2 WHERE id = ANY ($1)', [
    [advertiser, offer, source, campaign, asking, ...partners.map(([p]) => p)].map((p) => p.id),
    new Date(nowMs - (partnerPlan.since + 1) * DAY_MS),
  ]);
  await openOffer(pool, by, { offer, partners: partners.map(([p]) => p), asking }, { nowMs, password });
  const ids = { deskId: by.deskId, campaignId: campaign.id, sourceId: source.id };
  const way = { offerId: offer.id, networkId: advertiser.id, landingId: '', landingVersion: 0 };
  const ways = waysOf(partnerPlan).map((w) => ({ ...w, ids: way }));
  const visits = makeVisits(partnerPlan, ids, ways, nowMs, random, Math.max(share, LEAST_SHARE));
  // The last partner has a visitor or two who come again and again.
  const [, , [doubtful]] = partners as [unknown, unknown, (typeof partners)[number]];
  let before: Partial<VisitRecord> | null = null;
  for (const { row } of visits) {
    row.broughtBy = weighted(random, partners).id;
    row.costMicros = null;
    if (row.broughtBy !== doubtful.id || row.isBot) continue;
    if (before && random() < 0.25) Object.assign(row, before);
    else before = visitorOf(row);
  }
  await commitVisits(pool)(visits.map((v) => v.row));
  const target = {
    deskId: by.deskId,
    networkId: advertiser.id,
    intakeKey: advertiser.key,
    style: 'saltmarsh',
  } as const;
  const { postbacks } = makePostbacks(partnerPlan, visits, target, nowMs, random);
  postbacks.sort((a, b) => a.receivedMs - b.receivedMs);
  await commitReceipts(pool)(postbacks);
  await judgeAll(judging, postbacks);
  await decide(pool, judging, by, nowMs);
  await backdateLedger(pool, by.deskId);
  await payLastWeek(
    pool,
    by,
    partners.map(([p]) => p.id),
    nowMs,
  );
  return visits.length;
}

const visitorOf = (row: VisitRecord): Partial<VisitRecord> => {
  const { address, addressPrefix, userAgent, os, osVersion, browser, browserVersion } = row;
  const { device, deviceModel, city, region, isp } = row;
  return {
    ...{ address, addressPrefix, userAgent, os, osVersion, browser, browserVersion },
    ...{ device, deviceModel, city, region, isp },
  };
};

/** Three partners have access since the offer began, and the first one has accepted its terms; a fourth one has asked today. */
async function openOffer(
  pool: pg.Pool,
  by: Editor,
  of: { offer: PartRecord<'offer'>; partners: PartRecord<'partner'>[]; asking: PartRecord<'partner'> },
  { nowMs, password }: Pick<Given, 'nowMs' | 'password'>,
): Promise<void> {
  const offerId = of.offer.id;
  const sinceMs = nowMs - (partnerPlan.since + 1) * DAY_MS;
  for (const { id: partnerId } of of.partners)
    await decideOfferAccess(
      pool,
      by,
      { offerId, partnerId, from: 'none', to: 'approved', reason: '' },
      sinceMs,
    );
  const [first] = of.partners;
  const terms = of.offer.body.partnerTerms;
  await acceptTerms(pool, by.deskId, { offerId, partnerId: first!.id, userId: '', terms }, sinceMs);
  const note = 'We send a weekly e-mail about outdoor hobbies to 40 000 readers.';
  await askForOffer(
    pool,
    by.deskId,
    { offerId, partnerId: of.asking.id, userId: '', note },
    nowMs - 3 * HOUR_MS,
  );
  if (password === '') return;
  const { url } = await addPartnerUser(pool, by, first!.id, PARTNER_PERSON, '');
  await usePartnerLink(pool, url.split('#')[1]!, password);
}

/** Payouts that have waited long enough are approved; a few of the newest were looked at and rejected. */
async function decide(pool: pg.Pool, judging: pg.Pool, by: Editor, nowMs: number): Promise<void> {
  const judges = new JudgeQueue(judging);
  const ground = { pool, judge: judges.judge.bind(judges), now: () => nowMs };
  await approveDuePayouts({
    ...ground,
    onTrouble: (_, error) => {
      throw error;
    },
  });
  const { rows: waiting } = await pool.query<{ id: string }>(
    `SELECT id FROM conversions WHERE desk_id = $1 AND partner_status = 'pending' ORDER BY converted_at DESC`,
    [by.deskId],
  );
  const ids = waiting.slice(0, Math.min(REJECTED, Math.floor(waiting.length / 2))).map((r) => r.id);
  if (ids.length === 0) return;
  await reviewPayoutsByHand(ground, by, {
    ids,
    decision: 'rejected',
    reason: 'The buyer cancelled within the trial.',
    batchId: '',
  });
}

/** As if everything had been booked when it was told, or came due. */
const backdateLedger = (pool: pg.Pool, deskId: string): Promise<unknown> =>
  pool.query(
    `UPDATE ledger l SET booked_at = least(now(), coalesce(to_timestamp((o.reading->>'changedTime')::float8 / 1000), o.received_at))
     FROM outcomes o WHERE o.desk_id = $1 AND l.desk_id = $1 AND o.receipt_id = l.receipt_id`,
    [deskId],
  );

/** What was approved until a week ago is on statements, and paid. */
async function payLastWeek(
  pool: pg.Pool,
  by: Editor,
  partnerIds: readonly string[],
  nowMs: number,
): Promise<void> {
  const thenMs = nowMs - 7 * DAY_MS;
  const statements: BillingStatement[] = [];
  for (const partyId of partnerIds) {
    const wanted = { side: 'partner', partyId, currency: 'EUR', until: '' } as const;
    const made = await issue(pool, by, wanted, thenMs).catch((error: unknown) => {
      // Of few visits the smallest partner may have sold nothing.
      if (error instanceof Problem && error.code === 'nothing_to_bill') return null;
      throw error;
    });
    if (made) statements.push(made);
  }
  if (statements.length === 0) return;
  const { id } = await makePayment(
    pool,
    by,
    statements.map((s) => s.id),
    thenMs,
  );
  await movePayment(pool, by, id, { from: 'open', to: 'approved' });
  await movePayment(pool, by, id, { from: 'approved', to: 'paid' });
}

async function makeRecords(models: Models, by: Editor) {
  const make = <K extends PartKind>(kind: K, body: object): Promise<PartRecord<K>> =>
    createPart(models, by, kind, body) as Promise<PartRecord<K>>;
  const sale = (await listParts(models, by.deskId, 'event-type'))[0]!;
  const field = (parameter: string) => ({ macro: `{${parameter}}`, parameter });
  const advertiser = await make('network', {
    name: 'Kitewright',
    relation: 'direct',
    hosts: ['join.kitewright.example'],
    clickIdParameter: 'ref',
    fields: { click_id: field('sid'), payout: field('amount'), transaction: field('order') },
    decimalMark: ',',
    noLooks: true,
    notes: 'Pays the desk for each new member of its kite club.',
  });
  const avocet = await make('partner', { name: 'Avocet Reach', email: 'pay@avocet.example' });
  const bittern = await make('partner', { name: 'Bittern Media', email: 'ads@bittern.example' });
  const crake = await make('partner', { name: 'Crake Ads', email: 'hello@crake.example' });
  const asking = await make('partner', { name: 'Dotterel Mail', email: 'team@dotterel.example' });
  const offer = await make('offer', {
    name: 'Kitewright kite club',
    product: 'Kite club',
    networkId: advertiser.id,
    link: 'https://join.kitewright.example/club?ref={click_id}&from={partner_id}',
    countries: [partnerPlan.country],
    previewUrl: 'https://join.kitewright.example/club',
    category: 'Hobby clubs',
    description:
      'A box of kite parts every two months, and a meeting place for people who fly them.\n\n## What sells\n\n- Families with children from 8 years on\n- Spring and autumn, when the wind is good\n\nThe first box costs **12 EUR**. A member pays 24 EUR every two months and can leave at any time.',
    partnerAccess: 'request',
    partnerTerms:
      'Pay is for new members only.\n\n- No ads on the name _Kitewright_\n- No e-mail without consent of the reader\n- No coupon sites',
    payoutMode: 'fixed',
    payoutMicros: String(partnerPlan.payout * 1e6),
    currency: 'EUR',
    partnerPayouts: [
      {
        eventTypeId: sale.id,
        amountMicros: '9000000',
        approval: 'days',
        afterDays: 14,
        exceptions: [{ partnerId: avocet.id, amountMicros: '10000000' }],
      },
    ],
  });
  const source = await make('source', {
    name: 'Partner links',
    macroStyle: '[x]',
    parameters: [{ parameter: 'site', macro: '[site]', role: 'sub', sub: 'site' }],
    notes: 'Visits that partners send through their links.',
  });
  const campaign = await make('campaign', {
    name: partnerPlan.name,
    sourceId: source.id,
    ...routeTo(offer.id, ''),
    country: partnerPlan.country,
    ...partnerPlan.cost,
  });
  const partners = [
    [avocet, 4],
    [bittern, 3],
    [crake, 2],
  ] as const;
  return { advertiser, offer, source, campaign, partners, asking };
}
