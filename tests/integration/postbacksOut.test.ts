import { createServer, type IncomingMessage, type Server } from 'node:http';
import { afterAll, afterEach, beforeAll, expect, it } from '@jest/globals';
import { POSTBACKS_AT_ONCE } from '../../server/limits/limits.ts';
import type { ManyAnswer, PostbackOutRow, Problem } from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

/** A source's server that answers as told, and remembers who asked. */
let answers: (number | 'hang up')[] = [];
let heard: { url: string; key: string }[] = [];
let source: Server;
let desk: SharedDesk;
let origin: string;
beforeAll(async () => {
  source = createServer((req: IncomingMessage, res) => {
    heard.push({ url: req.url!, key: String(req.headers['idempotency-key']) });
    const next = answers.shift() ?? 200;
    if (next === 'hang up') return void req.socket.destroy();
    res.writeHead(next, next === 302 ? { Location: 'http://127.0.0.1:1/inside' } : {}).end('x');
  });
  desk = await makeDesk();
  const { host, port } = desk.partner('127.0.0.5');
  await new Promise<void>((resolve) => source.listen(port, host, resolve));
  origin = `http://${host}:${port}`;
});
afterAll(async () => {
  await desk.close();
  source.close();
});
afterEach(() => {
  answers = [];
  heard = [];
});

const told = (postbackUrl: string, reportStatuses = ['approved']) =>
  desk.chain({ source: { postbackUrl, reportStatuses } });
const calls = (c: Chain): Promise<PostbackOutRow[]> =>
  desk.list<PostbackOutRow>(`/postbacks-out?campaign=${c.campaign.id}`);
const book = (c: Chain, id: string, query: string) => desk.say(c.network.key, `click_id=${id}&${query}`);
/** The next try is brought forward, so that no test waits for a real pause. */
const hurry = (c: Chain) =>
  desk.pool.query('UPDATE outbox SET next_try_at = now() WHERE campaign_id = $1', [c.campaign.id]);

it('sends the postback its own click ID and the payout, once, and logs the attempt', async () => {
  const c = await told(
    `${origin}/postback?uid={source_click_id}&sum={payout}&cur={payout_currency}&site={sub_site}&txn={transaction}`,
  );
  const id = await c.send('clk=mh%2F7&site=a%20b');
  await book(c, id, 'payout=18.00&transaction=LK-1&status=ok');
  await book(c, id, 'payout=18.00&transaction=LK-1&status=ok');
  await until(async () => (await calls(c))[0]?.state === 'delivered', 'the postback out');
  expect(heard.map((h) => h.url)).toEqual(['/postback?uid=mh%2F7&sum=18.00&cur=EUR&site=a%20b&txn=LK-1']);
  const [row] = await calls(c);
  expect(row!.attempts).toEqual([expect.objectContaining({ result: 'delivered', httpStatus: 200 })]);
  expect(heard[0]!.key).toBe(row!.id);
});

it('tells only the statuses that were chosen, in their order', async () => {
  const c = await told(`${origin}/s?s={status}&before={status_before}`, ['pending', 'reversed']);
  const id = await c.send();
  for (const status of ['wait', 'ok', 'back']) await book(c, id, `payout=5&transaction=X&status=${status}`);
  await until(async () => (await calls(c)).filter((r) => r.state === 'delivered').length === 2, 'both calls');
  expect(heard.map((h) => h.url)).toEqual(['/s?s=pending&before=', '/s?s=reversed&before=approved']);
});

it('tries again after 503 and after a broken connection, with the same idempotency value', async () => {
  answers = [503, 'hang up', 200];
  const c = await told(`${origin}/retry?u={source_click_id}`);
  await book(c, await c.send('clk=r'), 'payout=5&status=ok');
  for (const tries of [1, 2]) {
    await until(async () => (await calls(c))[0]?.attempts.length === tries, `attempt ${tries}`);
    expect((await calls(c))[0]).toMatchObject({ state: 'waiting', nextTryAt: expect.any(String) });
    await hurry(c);
  }
  await until(async () => (await calls(c))[0]?.state === 'delivered', 'delivery');
  expect(new Set(heard.map((h) => h.key)).size).toBe(1);
  expect((await calls(c))[0]!.attempts.map((a) => a.httpStatus)).toEqual([503, null, 200]);
});

it.each([404, 302])('parks what answers %s, and tries again when a member says so', async (status) => {
  answers = [status];
  const c = await told(`${origin}/gone`);
  await book(c, await c.send(), 'payout=5&status=ok');
  await until(async () => (await calls(c))[0]?.state === 'gave_up', 'parking');
  const attention = await desk.owner.get<{ code: string }[]>('/attention');
  expect(attention.body.map((a) => a.code)).toContain('postbacks_given_up');
  const [row] = await calls(c);
  expect((await desk.owner.post(`/postbacks-out/${row!.id}/retry`)).status).toBe(200);
  await until(async () => (await calls(c))[0]?.state === 'delivered', 'delivery');
  expect(heard.length).toBe(2);
});

it('is parked after a day of trying', async () => {
  answers = [503];
  const c = await told(`${origin}/late`);
  await book(c, await c.send(), 'payout=5&status=ok');
  await until(async () => (await calls(c))[0]?.attempts.length === 1, 'the first attempt');
  answers = [503];
  await desk.pool.query(
    `UPDATE outbox SET trying_since = now() - interval '25 hours', next_try_at = now() WHERE campaign_id = $1`,
    [c.campaign.id],
  );
  await until(async () => (await calls(c))[0]?.state === 'gave_up', 'parking');
});

it.each([
  ['http://127.0.0.1:1/x', 'private address'],
  ['http://[::1]:1/x', 'private address'],
  ['http://0x7f000001/x', 'private address'],
  ['http://2130706433/x', 'private address'],
  ['http://[::ffff:127.0.0.1]/x', 'private address'],
  ['http://localhost:1/x', 'private address'],
  ['http://169.254.169.254/latest', 'private address'],
])('never calls %s', async (url, why) => {
  const c = await told(url);
  await book(c, await c.send(), 'payout=5&status=ok');
  await until(async () => (await calls(c))[0]?.state === 'gave_up', 'parking');
  expect((await calls(c))[0]!.attempts[0]!.result).toContain(why);
});

it('does not call itself', async () => {
  const c = await told(`http://127.0.0.5:1/`);
  const body = { ...c.source.body, postbackUrl: `${desk.tracking}/in/x` };
  expect((await desk.owner.put(`/parts/source/${c.source.id}`, { version: 1, body })).status).toBe(200);
  await book(c, await c.send(), 'payout=5&status=ok');
  await until(async () => (await calls(c))[0]?.state === 'gave_up', 'parking');
  expect((await calls(c))[0]!.attempts[0]!.result).toContain('our own');
});

it('that was given up goes again to the address as the source has it today', async () => {
  answers = [404, 404];
  const c = await told(`${origin}/old?u={source_click_id}&s={payout}`, ['approved', 'reversed']);
  const [one, two] = [await c.send('clk=a1'), await c.send('clk=a2')];
  for (const id of [one, two]) await book(c, id, `payout=5&status=ok&transaction=T${id}`);
  await until(async () => (await calls(c)).filter((r) => r.state === 'gave_up').length === 2, 'giving up');
  const current = (await desk.owner.get<{ version: number; body: object }>(`/parts/source/${c.source.id}`))
    .body;
  const body = { ...current.body, postbackUrl: `${origin}/new?u={source_click_id}&amount={payout}` };
  expect(
    (await desk.owner.put(`/parts/source/${c.source.id}`, { version: current.version, body })).status,
  ).toBe(200);
  const ids = (await calls(c)).map((r) => r.id);
  const nobody = '01KA0000000000000000000000';
  const again = await desk.owner.post<ManyAnswer>('/postbacks-out/retry', { ids: [...ids, nobody] });
  expect(again.body).toMatchObject({ changed: 2, unchanged: [{ id: nobody }] });
  await until(async () => (await calls(c)).every((r) => r.state === 'delivered'), 'delivery');
  expect(
    heard
      .map((h) => h.url)
      .slice(2)
      .sort(),
  ).toEqual(['/new?u=a1&amount=5.00', '/new?u=a2&amount=5.00']);
});

it('is not sent again when the source no longer wants it, or a later status was delivered', async () => {
  answers = [404, 200];
  const c = await told(`${origin}/x?s={status}`, ['approved', 'reversed']);
  const id = await c.send();
  await book(c, id, 'payout=5&status=ok&transaction=X');
  await until(async () => (await calls(c))[0]?.state === 'gave_up', 'giving up');
  const [given] = await calls(c);
  await book(c, id, 'status=back&transaction=X');
  await until(async () => (await calls(c)).some((r) => r.state === 'delivered'), 'the later status');
  const again = async () => (await desk.owner.post<Problem>(`/postbacks-out/${given!.id}/retry`)).body;
  expect(await again()).toMatchObject({
    code: 'nothing_to_send',
    detail: expect.stringContaining('later status'),
  });
  expect((await calls(c)).find((r) => r.id === given!.id)!.state).toBe('gave_up');
});

it('that cannot be sent is set aside with a reason, and its notice goes away', async () => {
  answers = [404];
  const c = await told(`${origin}/aside`);
  await book(c, await c.send(), 'payout=5&status=ok');
  await until(async () => (await calls(c))[0]?.state === 'gave_up', 'giving up');
  await desk.pool.query(
    `DELETE FROM attempts WHERE outbox_id IN (SELECT id FROM outbox WHERE desk_id = $1 AND campaign_id <> $2)`,
    [desk.deskId, c.campaign.id],
  );
  await desk.pool.query('DELETE FROM outbox WHERE desk_id = $1 AND campaign_id <> $2', [
    desk.deskId,
    c.campaign.id,
  ]);
  const ids = (await calls(c)).map((r) => r.id);
  const aside = (reason: string) => desk.owner.post<ManyAnswer>('/postbacks-out/set-aside', { ids, reason });
  expect((await aside('  ')).status).toBe(422);
  expect((await aside('The account was closed.')).body).toEqual({ changed: 1, unchanged: [] });
  expect((await aside('Again')).body.changed).toBe(0);
  const [row] = await calls(c);
  expect([row!.state, row!.setAsideReason]).toEqual(['set_aside', 'The account was closed.']);
  const attention = await desk.owner.get<{ code: string }[]>('/attention');
  expect(attention.body.map((a) => a.code)).not.toContain('postbacks_given_up');
});

it('of a dead source with thousands waiting delays no other source', async () => {
  const { host, port } = desk.partner('127.0.0.8');
  let asked = 0;
  // Takes connections, and never answers.
  const dead = createServer(() => void (asked += 1));
  await new Promise<void>((resolve) => dead.listen(port, host, resolve));
  try {
    const silent = await desk.chain({
      source: { postbackUrl: `http://${host}:${port}/x`, reportStatuses: ['approved'] },
    });
    await desk.pool.query(
      `INSERT INTO outbox (id, desk_id, conversion_id, destination_id, campaign_id, seq, status, url)
       SELECT '01KB' || lpad(n::text, 22, '0'), $1, 'dead' || n, $2, $3, 0, 'approved', $4 FROM generate_series(1, 5000) n`,
      [desk.deskId, silent.source.id, silent.campaign.id, `http://${host}:${port}/x`],
    );
    await until(() => Promise.resolve(asked > 0), 'the dead source to be asked');
    const living = await told(`${origin}/alive?u={source_click_id}`);
    for (let n = 0; n < 5; n++) {
      await book(living, await living.send(`clk=l${n}`), 'payout=5&status=ok');
      await until(async () => heard.some((h) => h.url === `/alive?u=l${n}`), 'the living source');
    }
    // Had each of the five waited for a round of the dead source, five rounds would have been asked.
    expect(asked).toBeLessThanOrEqual(POSTBACKS_AT_ONCE * 2);
  } finally {
    await desk.pool
      .query('DELETE FROM outbox WHERE desk_id = $1 AND url = $2', [desk.deskId, `http://${host}:${port}/x`])
      .catch(() => undefined);
    dead.closeAllConnections();
    dead.close();
  }
});

it('an answer that a busy database did not take at first is written all the same: the source is asked once', async () => {
  await desk.pool.query(`
    CREATE SEQUENCE unwritten;
    CREATE FUNCTION refuse_once() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
      IF EXISTS (SELECT 1 FROM outbox WHERE id = NEW.outbox_id AND url LIKE '%/unwritten?%') AND nextval('unwritten') = 1
      THEN RAISE EXCEPTION 'busy'; END IF;
      RETURN NEW;
    END $$;
    CREATE TRIGGER refuse_once BEFORE INSERT ON attempts FOR EACH ROW EXECUTE FUNCTION refuse_once();`);
  try {
    const c = await told(`${origin}/unwritten?u={source_click_id}`);
    await book(c, await c.send('clk=w'), 'payout=5&status=ok');
    await until(async () => (await calls(c))[0]?.state === 'delivered', 'delivery');
    expect(heard.map((h) => h.url)).toEqual(['/unwritten?u=w']);
    const { rows } = await desk.pool.query<{ n: string }>('SELECT last_value AS n FROM unwritten');
    expect(rows[0]!.n).toBe('2');
  } finally {
    await desk.pool.query(
      'DROP TRIGGER refuse_once ON attempts; DROP FUNCTION refuse_once; DROP SEQUENCE unwritten',
    );
  }
});
