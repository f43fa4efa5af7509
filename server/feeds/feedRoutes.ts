/** Feeds: connected, tried, fetched by hand, and their runs. */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import { feedAddresses, feedInput, MAX_FEED_DAYS, type FeedInput } from '@tracheon/core/contract';
import { feedTemplateSchema } from '@tracheon/core/feeds';
import { daysIn, shiftDay } from '@tracheon/core/time';
import { sourceTerms } from '../costs/costStore.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { Problem } from '../problems/problem.ts';
import { keepSecret, openSecrets } from '../secrets/secretStore.ts';
import { confirmRun } from './feedRun.ts';
import {
  asRun,
  endRest,
  listFeeds,
  oneFeed,
  queueDays,
  runsOf,
  saveFeed,
  stopRuns,
  type FeedRunRow,
} from './feedStore.ts';
import { tryFeed } from './tryFeed.ts';

export function feedRoutes(mount: Mount, { pool, config, news }: ApiGround): void {
  const out = () => ({
    allowed: config.allowOutgoing,
    ownOrigins: [config.desk.origin, config.tracking.origin],
  });
  const changed = async (deskId: string, id: string) => {
    news.tell(deskId, 'feeds');
    return (await listFeeds(pool, deskId, id))[0]!;
  };
  /** A key goes only to where it was entered for. */
  const sameAddress = (before: FeedInput, after: FeedInput & { secret: string }): void => {
    const known = origins(before);
    if (after.secret === '' && [...origins(after)].some((origin) => !known.has(origin)))
      throw new Problem('invalid_input', {
        fields: [{ path: 'secret', message: 'The address has changed. Enter the key again.' }],
      });
  };
  type By = { deskId: string; memberId: string };
  const save = async (by: By, id: string | null, { secret, ...body }: FeedInput & { secret: string }) => {
    if (body.gives === 'cost') await checkSource(pool, by.deskId, body);
    const secretId = secret === '' ? null : await keepSecret(pool, config.secret, by, secret);
    return changed(by.deskId, await saveFeed(pool, by, id, feedInput.parse(body), secretId));
  };
  mount('listFeeds', async ({ signed: { deskId } }) => ({ rows: await listFeeds(pool, deskId) }));
  mount('feedTemplateSchema', feedTemplateSchema);
  mount('addFeed', ({ signed, body }) => save(signed, null, body));
  mount('tryFeed', async ({ signed: { deskId }, body: { feedId, day, feed } }) => {
    const before = feedId === '' ? null : await oneFeed(pool, deskId, feedId);
    const kept = before?.secret_id ?? '';
    if (before && kept !== '') sameAddress(before.body, feed);
    const open = async () => (await openSecrets(pool, config.secret, deskId, [kept])).get(kept) ?? '';
    const secret = feed.secret !== '' || kept === '' ? feed.secret : await open();
    return tryFeed({ pool, deskId, out: out() }, feed, secret, day);
  });
  mount('changeFeed', async ({ signed, id, body }) => {
    const before = await oneFeed(pool, signed.deskId, id);
    if (before.secret_id !== '') sameAddress(before.body, body);
    if (before.body.gives !== body.gives)
      throw new Problem('invalid_input', {
        fields: [{ path: 'gives', message: 'This can’t change. Add another feed.' }],
      });
    return save(signed, id, body);
  });
  mount('runFeed', async ({ signed: { deskId }, id, body }) => {
    const feed = await oneFeed(pool, deskId, id);
    const count = daysIn(body);
    if (count > MAX_FEED_DAYS)
      throw new Problem('invalid_input', {
        fields: [{ path: 'to', message: `At most ${MAX_FEED_DAYS} days at once.` }],
      });
    const days = Array.from({ length: count }, (_, i) => shiftDay(body.from, i));
    await endRest(pool, feed.id);
    await queueDays(pool, feed, days, ulid());
    news.tell(deskId, 'feeds');
    return { days: count };
  });
  mount('feedRuns', ({ signed: { deskId }, id }) => runsOf(pool, deskId, id));
  mount('stopFeed', async ({ signed: { deskId }, id }) => {
    const stopped = await stopRuns(pool, deskId, id);
    news.tell(deskId, 'feeds');
    return { stopped };
  });
  mount('confirmFeedRun', async ({ signed: { deskId }, id }) => {
    if (!(await confirmRun(pool, deskId, id))) throw new Problem('not_found');
    news.tell(deskId, 'feeds');
    const { rows } = await pool.query<FeedRunRow>('SELECT *, day::text AS day FROM feed_runs WHERE id = $1', [
      id,
    ]);
    return asRun(rows[0]!);
  });
}

const origins = (feed: FeedInput): Set<string> =>
  new Set(feedAddresses(feed).map((url) => new URL(url.replaceAll(/[{}]/g, '')).origin));

/** Entries are in what the source bills in, and of an account that it has. */
async function checkSource(pool: Pool, deskId: string, feed: FeedInput): Promise<void> {
  const { currency, body } = await sourceTerms(pool, deskId, feed.sourceId);
  const fields = [
    ...(currency === feed.currency
      ? []
      : [{ path: 'currency', message: `This source bills in ${currency}.` }]),
    ...(feed.accountId === '' || body.accounts.some((a) => a.name === feed.accountId)
      ? []
      : [{ path: 'accountId', message: 'This source has no such account.' }]),
  ];
  if (fields.length > 0) throw new Problem('invalid_input', { fields });
}
