/**
 * The search-feed partner of the demo desk: a campaign whose revenue is told by the practice feed's API. The practice feed is
 * given the searches of past days, and the desk fetches them itself once it runs.
 */
import type { Pool } from 'pg';
import { feedInput, type PartKind, type PartRecord } from '@tracheon/core/contract';
import { routeTo } from '@tracheon/core/routing';
import { shiftDay } from '@tracheon/core/time';
import type { Models } from '@tracheon/server/db/models.ts';
import { isoDay } from '@tracheon/server/db/partitions.ts';
import { commitVisits } from '@tracheon/server/events/commitRows.ts';
import { oneFeed, queueDays, saveFeed } from '@tracheon/server/feeds/feedStore.ts';
import type { Editor } from '@tracheon/server/parts/partRecords.ts';
import { createPart } from '@tracheon/server/parts/partsStore.ts';
import { keepSecret } from '@tracheon/server/secrets/secretStore.ts';
import { FEED_KEY } from '@tracheon/practice/feed/keyFeed.ts';
import type { Search } from '@tracheon/practice/feed/searches.ts';
import { seededRandom } from '@tracheon/core/chance';
import { makeVisits, type DemoVisit } from './makeVisits.ts';
import { feedPlan, waysOf } from './plans.ts';

const SEED = 20_261_102;
const DAY_MS = 86_400_000;
/** Visitors who search at all, and those of them who click a result. */
const SEARCHES = 0.62;
const CLICKS = 0.35;
const QUERIES = ['star map', 'beginner telescope', 'night sky chart', 'astronomy club near me'];

export interface MadeFeed {
  visits: number;
  /** What the practice feed remembers. */
  searches: Search[];
}

/** `origin`: of the practice feed; `serverSecret`: what keys are encrypted by. */
export async function makeFeed(
  models: Models,
  pool: Pool,
  by: Editor,
  source: PartRecord,
  {
    origin,
    serverSecret,
    nowMs,
    share,
  }: { origin: string; serverSecret: string; nowMs: number; share: number },
): Promise<MadeFeed> {
  const make = (kind: PartKind, body: object): Promise<PartRecord> => createPart(models, by, kind, body);
  const search = await make('event-type', { name: 'Search', word: 'search' });
  const network = await make('network', {
    name: 'Copperleaf Search Feed',
    hosts: [new URL(origin).host],
    clickIdParameter: 'sub2',
    fields: {},
    notes: 'Sends no postbacks: its API tells each day by sub-ID, final after midnight UTC.',
  });
  const offer = await make('offer', {
    name: 'Copperleaf star charts',
    product: 'Stargazing',
    networkId: network.id,
    link: `${origin}/s?q=star+map&sub2={click_id}&site={sub_site}`,
    countries: [feedPlan.country],
    conversionsFrom: [{ eventTypeId: search.id, channel: 'feed' }],
    currency: 'EUR',
  });
  const campaign = await make('campaign', {
    name: feedPlan.name,
    sourceId: source.id,
    ...routeTo(offer.id, ''),
    country: feedPlan.country,
    ...feedPlan.cost,
  });
  await pool.query('UPDATE parts SET created_at = $2, updated_at = $2 WHERE id = ANY ($1)', [
    [search, network, offer, campaign].map((p) => p.id),
    new Date(nowMs - (feedPlan.since + 1) * DAY_MS),
  ]);
  const random = seededRandom(SEED);
  const ids = { deskId: by.deskId, campaignId: campaign.id, sourceId: source.id };
  const way = { offerId: offer.id, networkId: network.id, landingId: '', landingVersion: 0 };
  const ways = waysOf(feedPlan).map((w) => ({ ...w, ids: way }));
  const visits = makeVisits(feedPlan, ids, ways, nowMs, random, share);
  await commitVisits(pool)(visits.map((v) => v.row));
  await connect(pool, by, network.id, search.id, { origin, serverSecret, nowMs });
  return { visits: visits.length, searches: searchesOf(visits, random) };
}

/** The account at the provider, with the days behind it waiting to be fetched. */
async function connect(
  pool: Pool,
  by: Editor,
  networkId: string,
  eventTypeId: string,
  { origin, serverSecret, nowMs }: { origin: string; serverSecret: string; nowMs: number },
): Promise<void> {
  const today = isoDay(nowMs);
  const fromDay = shiftDay(today, -feedPlan.since);
  const body = feedInput.parse({
    name: 'Copperleaf, main account',
    networkId,
    url: `${origin}/api/report?day={day}`,
    signIn: 'header',
    signInName: 'X-Api-Key',
    rowsAt: 'rows',
    paging: 'next',
    nextAt: 'next',
    countAt: 'total.rows',
    sumAt: 'total.revenue',
    slotAt: 'sub2',
    counters: [{ amountAt: 'revenue', eventTypeId }],
    currency: 'EUR',
    finals: 'field',
    finalAt: 'status',
    finalWord: 'final',
    everyMinutes: 15,
    fromDay,
    isOn: true,
  });
  const secretId = await keepSecret(pool, serverSecret, by, FEED_KEY);
  const feed = await oneFeed(pool, by.deskId, await saveFeed(pool, by, null, body, secretId));
  const days = Array.from({ length: feedPlan.since + 1 }, (_, i) => shiftDay(fromDay, i));
  await queueDays(pool, feed, days);
}

const searchesOf = (visits: readonly DemoVisit[], random: () => number): Search[] =>
  visits
    .filter(({ row }) => !row.isBot && random() < SEARCHES)
    .map(({ row }, i) => ({
      id: i + 1,
      day: isoDay(row.atMs),
      query: QUERIES[Math.floor(random() * QUERIES.length)]!,
      subs: { sub2: row.id, site: row.subs.site ?? '' },
      ...(random() < CLICKS ? { isClicked: true } : {}),
    }));
