/** Test visits, button clicks and conversions of a desk, sent through its tracking domain. */
import type { Pool } from 'pg';
import type { z } from 'zod';
import {
  MAX_RAW_QUERY_BYTES,
  wholeBody,
  type PartRecord,
  type testConversion,
  type TestConversionAnswer,
  type testVisitor,
  type TestVisitAnswer,
} from '@tracheon/core/contract';
import { parseClickId } from '@tracheon/core/identity';
import {
  amountText,
  buttonLink,
  calledPostback,
  cutBytes,
  eventWordOf,
  linkBase,
  sampleValues,
  statusWordOf,
  withValues,
} from '@tracheon/core/links';
import { formatAmount } from '@tracheon/core/money';
import { TEST_PARAMETER, TEST_SECONDS, type TestMarks } from '../capture/testMarks.ts';
import { CLICK_ID_PARAMETER } from '../capture/visitHandles.ts';
import type { Models } from '../db/models.ts';
import { Problem } from '../problems/problem.ts';
import { loadVisit } from '../intake/loadVisits.ts';
import { dayAgo } from '../db/partitions.ts';
import type { OwningVisit } from '../intake/owningVisit.ts';
import { findPart } from '../parts/partRecords.ts';
import type { TestRequest } from './testRequests.ts';

export interface TesterDeps {
  models: Models;
  pool: Pool;
  marks: TestMarks;
  ask: TestRequest;
  now: () => number;
}
export type Visitor = z.output<typeof testVisitor>;

export const agents: Record<Visitor['device'], string> = {
  phone:
    'Mozilla/5.0 (Linux; Android 15; Pixel 8) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Mobile Safari/537.36',
  iphone:
    'Mozilla/5.0 (iPhone; CPU iPhone OS 18_1 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.1 Mobile/15E148 Safari/604.1',
  tablet:
    'Mozilla/5.0 (iPad; CPU OS 18_1 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.1 Mobile/15E148 Safari/604.1',
  desktop:
    'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Safari/537.36',
};

/** A tracking link with samples for the source's values, signed as a test. */
export async function makeTestLink(
  { models, marks, now }: TesterDeps,
  deskId: string,
  origin: string,
  campaignId: string,
  visitor: Visitor,
): Promise<{ url: string; until: string }> {
  const campaign = (await findPart(models, deskId, 'campaign', campaignId)) as PartRecord<'campaign'>;
  const source = (await findPart(models, deskId, 'source', campaign.body.sourceId)) as PartRecord<'source'>;
  const until = now() + TEST_SECONDS * 1000;
  const values = sampleValues(wholeBody('source', source.body), `test-${now().toString(36)}`, visitor.values);
  const mark = marks.make(campaign.key, visitor.country, until);
  return {
    url: withValues(linkBase(origin, campaign.key), { ...values, [TEST_PARAMETER]: mark }),
    until: new Date(until).toISOString(),
  };
}

export async function sendTestVisit(
  deps: TesterDeps,
  deskId: string,
  origin: string,
  campaignId: string,
  visitor: Visitor,
): Promise<TestVisitAnswer> {
  const { url } = await makeTestLink(deps, deskId, origin, campaignId, visitor);
  const answer = await deps.ask(url, { 'user-agent': agents[visitor.device] });
  const clickId = await soonFound(
    () => visitBy(deps.pool, deskId, campaignId, url.split('?')[1] ?? ''),
    answer.location !== '',
  );
  if (answer.location !== '' && clickId === null) throw new Problem('test_waiting');
  if (answer.location === '' || clickId === null)
    throw new Problem('test_refused', {
      detail: `The tracking domain answered ${answer.status}: ${answer.text.slice(0, 200)}`,
    });
  return { clickId, url, status: answer.status, location: answer.location };
}

/** A visit that was redirected may wait on disk first, on a busy machine or after an outage. */
const FOUND_WITHIN_MS = 5000;
const LOOK_AGAIN_MS = 150;
async function soonFound(find: () => Promise<string | null>, isRedirected: boolean): Promise<string | null> {
  const end = performance.now() + (isRedirected ? FOUND_WITHIN_MS : 0);
  for (;;) {
    const found = await find();
    if (found !== null || performance.now() > end) return found;
    await new Promise((resolve) => setTimeout(resolve, LOOK_AGAIN_MS));
  }
}

/** The test visit that came with this very query: the moment is in it, and the signature. */
async function visitBy(
  pool: Pool,
  deskId: string,
  campaignId: string,
  query: string,
): Promise<string | null> {
  const { rows } = await pool.query<{ id: string }>(
    `SELECT id FROM visits WHERE desk_id = $1 AND day >= $4::date AND campaign_id = $2
       AND at > now() - interval '1 minute' AND is_test AND raw_query = $3 ORDER BY at DESC, id DESC LIMIT 1`,
    [deskId, campaignId, cutBytes(query, MAX_RAW_QUERY_BYTES), dayAgo(1)],
  );
  return rows[0]?.id ?? null;
}

/** The visit, when it is a test of this desk. */
async function testVisitOf({ pool }: TesterDeps, deskId: string, id: string): Promise<OwningVisit> {
  const clickId = parseClickId(id);
  const visit = clickId && (await loadVisit(pool, deskId, clickId));
  if (!visit) throw new Problem('not_found');
  if (!visit.isTest) throw new Problem('no_test');
  return visit;
}

export async function pressTestButton(
  deps: TesterDeps,
  deskId: string,
  origin: string,
  id: string,
  n: number,
): Promise<{ url: string; status: number; location: string }> {
  const visit = await testVisitOf(deps, deskId, id);
  if (visit.landingId === '') throw new Problem('not_found', { detail: 'This visit had no landing page.' });
  const page = await findPart(deps.models, deskId, 'landing-page', visit.landingId);
  const url = withValues(buttonLink(origin, page.key, n), { [CLICK_ID_PARAMETER]: visit.id });
  const { status, location } = await deps.ask(url, { 'user-agent': agents.phone });
  return { url, status, location };
}

export async function fireTestConversion(
  deps: TesterDeps,
  deskId: string,
  origin: string,
  id: string,
  said: z.output<typeof testConversion>,
): Promise<TestConversionAnswer> {
  const { models, pool, marks, now } = deps;
  const visit = await testVisitOf(deps, deskId, id);
  if (visit.networkId === '')
    throw new Problem('no_test', {
      detail: 'This test visit was not sent to an offer, so no network can report it.',
    });
  const network = (await findPart(models, deskId, 'network', visit.networkId)) as PartRecord<'network'>;
  const body = wholeBody('network', network.body);
  const type =
    said.eventTypeId === ''
      ? null
      : ((await findPart(models, deskId, 'event-type', said.eventTypeId)) as PartRecord<'event-type'>);
  // Before the call: what is judged must find it, in whatever order things are judged.
  if (said.reportToSource)
    await pool.query(
      'INSERT INTO reported_tests (desk_id, click_id) VALUES ($1, $2) ON CONFLICT DO NOTHING',
      [deskId, visit.id],
    );
  const amount = said.payoutMicros === '' ? '' : formatAmount(BigInt(said.payoutMicros));
  const url = calledPostback(origin, network.key, body, {
    click_id: visit.id,
    payout: amountText(amount, body.decimalMark),
    transaction: said.transaction,
    event: type === null ? '' : eventWordOf(body, { id: type.id, word: type.body.word }),
    status: said.status === '' ? '' : statusWordOf(body, said.status),
  });
  const mark = marks.make(network.key, '', now() + TEST_SECONDS * 1000);
  const asked = `${url}&${TEST_PARAMETER}=${mark}`;
  const answer = await deps.ask(asked);
  return { url: asked, status: answer.status, answer: answer.text };
}

/** What tells this test from every other call. */
export const testMarkIn = (url: string): string => url.slice(url.lastIndexOf(`${TEST_PARAMETER}=`));
