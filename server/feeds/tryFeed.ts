/** A day as a feed would fetch it, shown and not kept: what its rows are like, how many are visits of ours, and why not. */
import type { Pool } from 'pg';
import {
  chosenChannel,
  NOT_CHOSEN,
  type FeedInput,
  type FeedTrial,
  type OfferInput,
} from '@tracheon/core/contract';
import { areFinal, costsOf, entriesOf, FeedProblem, fieldsOf, textAt } from '@tracheon/core/feeds';
import { clickIdDay, parseClickId } from '@tracheon/core/identity';
import { campaignNames } from '../costs/costStore.ts';
import { fetchDay } from './fetchDay.ts';
import { FeedLater, type Outgoing } from './providerAccess.ts';

const SHOWN = 20;
/** Of more rows the first ones are looked up. */
const LOOKED_UP = 2000;

export interface Trying {
  pool: Pool;
  deskId: string;
  out: Outgoing;
}

/** A trial waits for a report that is prepared, but not longer than a member does. */
const PATIENCE_MS = 50_000;
const LIMIT_MS = 60_000;

export async function tryFeed(
  trying: Trying,
  feed: FeedInput,
  secret: string,
  day: string,
): Promise<FeedTrial> {
  const rows: unknown[] = [];
  const told = { count: 0, amount: 0n, stated: null as bigint | null, isFinal: true };
  const campaigns =
    feed.gives === 'cost' ? await campaignNames(trying.pool, trying.deskId, feed.sourceId) : new Map();
  let problem = '';
  try {
    const pages = fetchDay(feed, secret, day, {
      out: trying.out,
      signal: AbortSignal.timeout(LIMIT_MS),
      ordered: { reportId: '', keep: async () => undefined, patienceMs: PATIENCE_MS },
    });
    for await (const page of pages) {
      rows.push(...page.rows.slice(0, LOOKED_UP - rows.length));
      told.count += page.rows.length;
      told.stated = page.statedSum ?? told.stated;
      if (page.rows.length > 0) told.isFinal &&= page.isFinal || areFinal(feed, page.rows);
      const { sum } =
        feed.gives === 'cost' ? costsOf(feed, page.rows, campaigns) : entriesOf(feed, page.rows);
      told.amount += sum;
    }
  } catch (error) {
    if (error instanceof FeedProblem || error instanceof FeedLater) problem = error.message;
    else if ((error as Error).name === 'TimeoutError') problem = 'The provider took longer than a minute.';
    else throw error;
  }
  const { matched, advice } = await (feed.gives === 'cost'
    ? bookedCosts(feed, rows, campaigns)
    : matchedVisits(trying, feed, rows));
  return {
    day,
    problem,
    rows: rows.slice(0, SHOWN).map(fieldsOf),
    count: told.count,
    amountMicros: String(told.amount),
    statedMicros: told.stated === null ? null : String(told.stated),
    isFinal: told.count > 0 && feed.finals === 'field' && told.isFinal,
    matched,
    advice: problem === '' ? advice : '',
  };
}

const NO_ROWS = 'This day has no rows. Try a day on which';
function bookedCosts(
  feed: FeedInput,
  rows: readonly unknown[],
  campaigns: ReadonlyMap<string, string>,
): { matched: number; advice: string } {
  if (rows.length === 0) return { matched: 0, advice: `${NO_ROWS} this source sent visits.` };
  if (feed.amountAt === NOT_CHOSEN)
    return { matched: 0, advice: 'Choose the field with the amount, then show the rows again.' };
  const { entries, unknown } = costsOf(feed, rows, campaigns);
  const [first] = unknown;
  return {
    matched: entries.length,
    advice: first
      ? `This source has no campaign named “${first.name.slice(0, 60)}”. Name a campaign so, or clear the field of the campaign and choose the sub-ID that carries it.`
      : '',
  };
}

async function matchedVisits(
  { pool, deskId }: Trying,
  feed: FeedInput,
  rows: readonly unknown[],
): Promise<{ matched: number; advice: string }> {
  const visits = await visitsAmong(
    pool,
    deskId,
    rows.map((row) => textAt(row, feed.slotAt) ?? ''),
  );
  return { matched: visits.size, advice: await advise(pool, deskId, feed, rows, visits) };
}

async function visitsAmong(
  pool: Pool,
  deskId: string,
  keys: readonly string[],
): Promise<Map<string, string>> {
  const ids = [...new Set(keys.flatMap((key) => parseClickId(key) ?? []))];
  if (ids.length === 0) return new Map();
  const { rows } = await pool.query<{ id: string; offer_id: string }>(
    `SELECT v.id, v.offer_id FROM unnest($2::text[], $3::date[]) AS k (id, day)
     CROSS JOIN LATERAL (SELECT id, offer_id FROM visits WHERE desk_id = $1 AND day = k.day AND id = k.id OFFSET 0) v`,
    [deskId, ids, ids.map(clickIdDay)],
  );
  return new Map(rows.map((r) => [r.id, r.offer_id]));
}

async function advise(
  pool: Pool,
  deskId: string,
  feed: FeedInput,
  rows: readonly unknown[],
  matched: ReadonlyMap<string, string>,
): Promise<string> {
  if (rows.length === 0) return `${NO_ROWS} visits were sent to this network.`;
  if (feed.slotAt === NOT_CHOSEN || feed.counters.some((c) => c.amountAt === NOT_CHOSEN))
    return 'Choose the fields with the click ID and with the amount, then show the rows again.';
  if (matched.size === 0) return slotAdvice(feed, rows, await better(pool, deskId, feed, rows));
  const { rows: offers } = await pool.query<{ name: string; body: OfferInput }>(
    `SELECT name, body FROM parts WHERE desk_id = $1 AND id = ANY ($2)`,
    [deskId, [...new Set(matched.values())]],
  );
  const others = offers.filter((o) =>
    feed.counters.some((c) => chosenChannel(o.body, c.eventTypeId) !== 'feed'),
  );
  return others.length === 0
    ? ''
    : `${others.map((o) => `“${o.name}”`).join(', ')}: choose “a feed” under “Where conversions come from” at the offer. Until then Tracheon keeps these rows for comparison only.`;
}

/** A field whose values are visits of ours. */
async function better(
  pool: Pool,
  deskId: string,
  feed: FeedInput,
  rows: readonly unknown[],
): Promise<string | null> {
  const some = rows.slice(0, 50).map(fieldsOf);
  const places = [...new Set(some.flat().map((f) => f.at))].filter((place) => place !== feed.slotAt);
  for (const place of places) {
    const values = some.flatMap((fields) => fields.filter((f) => f.at === place).map((f) => f.value));
    if ((await visitsAmong(pool, deskId, values)).size > 0) return place;
  }
  return null;
}

function slotAdvice(feed: FeedInput, rows: readonly unknown[], field: string | null): string {
  const example = (textAt(rows[0], feed.slotAt) ?? '').slice(0, 40);
  const holds = example === '' ? 'is empty' : `holds “${example}”, not a click ID of this desk`;
  return field === null
    ? `The field “${feed.slotAt}” ${holds}. Put {click_id} into that sub-ID in the offer’s link.`
    : `The field “${feed.slotAt}” ${holds}. Choose “${field}”.`;
}
