/**
 * A test postback for a network or an offer: the request that the network would make, sent to the real endpoint, for a test
 * visit that was sent to the offer. Where there is none of the last day, one is made through a campaign that leads there.
 */
import type { z } from 'zod';
import { clickIdDay } from '@tracheon/core/identity';
import type { LiveTestAnswer, liveTest, PartKind, PartRecord } from '@tracheon/core/contract';
import { offersOf } from '@tracheon/core/routing';
import { dayAgo } from '../db/partitions.ts';
import { findPart, listParts } from '../parts/partRecords.ts';
import { Problem } from '../problems/problem.ts';
import { fireTestConversion, sendTestVisit, testMarkIn, type TesterDeps } from './tester.ts';

type Said = z.output<typeof liveTest>;
interface At {
  deskId: string;
  /** Of the tracking domain whose links are given out. */
  origin: string;
}

/** A campaign that splits its visitors may send the first ones elsewhere. */
const MAX_TEST_VISITS = 8;

export async function sendLiveTest(
  deps: TesterDeps,
  at: At,
  kind: Extract<PartKind, 'network' | 'offer'>,
  id: string,
  said: Said,
): Promise<LiveTestAnswer> {
  const offers = await offersAt(deps, at.deskId, kind, id);
  const visit = (await newestTestVisit(deps, at.deskId, offers)) ?? (await makeTestVisit(deps, at, offers));
  const sent = await fireTestConversion(deps, at.deskId, at.origin, visit.clickId, said);
  const campaign = await findPart(deps.models, at.deskId, 'campaign', visit.campaignId);
  return {
    ...sent,
    clickId: visit.clickId,
    campaignName: campaign.body.name,
    receiptId: await receiptOf(deps, at.deskId, testMarkIn(sent.url)),
  };
}

async function offersAt(
  { models }: TesterDeps,
  deskId: string,
  kind: 'network' | 'offer',
  id: string,
): Promise<string[]> {
  await findPart(models, deskId, kind, id);
  if (kind === 'offer') return [id];
  const offers = (await listParts(models, deskId, 'offer')) as PartRecord<'offer'>[];
  return offers.filter((o) => o.body.networkId === id).map((o) => o.id);
}

interface TestVisit {
  clickId: string;
  campaignId: string;
}

async function newestTestVisit(
  { pool }: TesterDeps,
  deskId: string,
  offers: readonly string[],
): Promise<TestVisit | null> {
  const { rows } = await pool.query<TestVisit>(
    `SELECT id AS "clickId", campaign_id AS "campaignId" FROM visits
     WHERE desk_id = $1 AND day >= $3::date AND is_test AND offer_id = ANY ($2)
       AND at > now() - interval '1 day' ORDER BY id DESC LIMIT 1`,
    [deskId, offers, dayAgo(1)],
  );
  return rows[0] ?? null;
}

async function makeTestVisit(
  deps: TesterDeps,
  { deskId, origin }: At,
  offers: readonly string[],
): Promise<TestVisit> {
  const campaigns = (await listParts(deps.models, deskId, 'campaign')) as PartRecord<'campaign'>[];
  const fitting = campaigns
    .filter((c) => c.state === 'live' && offersOf(c.body).some((o) => offers.includes(o)))
    .sort((a, b) => (a.id < b.id ? 1 : -1));
  for (let i = 0; i < MAX_TEST_VISITS && fitting.length > 0; i++) {
    const campaign = fitting[i % fitting.length]!;
    const visitor = { country: '', device: 'phone' as const, values: {} };
    const { clickId } = await sendTestVisit(deps, deskId, origin, campaign.id, visitor);
    const { rows } = await deps.pool.query(
      'SELECT 1 FROM visits WHERE desk_id = $1 AND day = $2 AND id = $3 AND offer_id = ANY ($4)',
      [deskId, clickIdDay(clickId), clickId, offers],
    );
    if (rows.length > 0) return { clickId, campaignId: campaign.id };
  }
  throw new Problem('no_test_visit', {
    detail:
      fitting.length === 0
        ? 'No live campaign sends visitors to this offer. Create a campaign, or wait for a postback from the network.'
        : 'Its campaigns sent the test visitors to other offers. Send a test visit from the campaign, then try again.',
  });
}

/** Only a kept call has one. */
async function receiptOf({ pool }: TesterDeps, deskId: string, mark: string): Promise<string> {
  const { rows } = await pool.query<{ id: string }>(
    `SELECT id FROM receipts WHERE desk_id = $1 AND day >= $3::date
       AND received_at > now() - interval '1 minute' AND strpos(query, $2) > 0 ORDER BY id DESC LIMIT 1`,
    [deskId, mark, dayAgo(1)],
  );
  return rows[0]?.id ?? '';
}
