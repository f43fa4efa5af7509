/** Two server processes that listen together, and a third server of the same database: what each of them must know of the others. */
import { readFileSync } from 'node:fs';
import { request } from 'node:http';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type { StreamNews } from '@tracheon/core/contract';
import { ApiClient } from './apiClient.ts';
import { ChildProgram, freePort } from './childProgram.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { PHONE, until, type Chain } from './testDesk.ts';

let desk: OwnDesk;
let chain: Chain;
let program: ChildProgram;
let ports: { desk: number; tracking: number };
beforeAll(async () => {
  desk = await openOwnServer();
  chain = await desk.chain();
  ports = { desk: await freePort(), tracking: await freePort('127.0.0.2') };
  program = new ChildProgram(['server/dist/server.mjs'], {
    DATABASE_URL: desk.database.directUrl,
    TRACHEON_PROCESSES: '2',
    TRACHEON_SECRET: 'only for tests, and longer than thirty-two',
    TRACHEON_DATA: desk.config.dataFolder,
    TRACHEON_DESK_PORT: String(ports.desk),
    TRACHEON_TRACKING_PORT: String(ports.tracking),
    TRACHEON_PARTNERS: 'off',
    TRACHEON_NUMBERS: 'off',
    TRACHEON_LOG: 'error',
    TRACHEON_VISITOR_PATIENCE_MS: '10000',
  });
  await program.says(/listening/);
});
afterAll(async () => {
  program.signal('SIGTERM');
  expect(await program.ended).toBe(0);
  await desk.close();
});

interface Answer {
  status: number;
  location: string;
}
/** Over a connection of its own: whichever process is free takes it. */
const get = (path: string): Promise<Answer> =>
  new Promise((resolve, reject) => {
    const at = { host: '127.0.0.2', port: ports.tracking, path, agent: false };
    request({ ...at, headers: { 'User-Agent': PHONE } }, (res) => {
      res.resume();
      res.on('end', () => resolve({ status: res.statusCode!, location: res.headers.location ?? '' }));
    })
      .once('error', reject)
      .end();
  });
const visit = (key: string, clk: string): Promise<Answer> => get(`/v/${key}?clk=${clk}&bid=0.02`);
const clickIdIn = ({ location }: Answer): string => new URL(location).searchParams.get('aff_ref') ?? '';

/** Server processes that say they are there, this one's not among them. */
async function workers(): Promise<number[]> {
  const { rows } = await desk.pool.query<{ id: string }>(
    `SELECT id FROM processes WHERE seen_at > now() - interval '20 seconds'`,
  );
  const pids = rows.map((r) => Number(r.id.split(' ')[1])).filter((pid) => pid !== process.pid);
  return [...new Set(pids)].filter((pid) => {
    try {
      return process.kill(pid, 0);
    } catch {
      return false;
    }
  });
}

it('both know a change of the desk, wherever it was made', async () => {
  await until(async () => (await workers()).length === 2, 'both to say that they are there');
  const { campaign } = await desk.chain();
  await until(
    async () =>
      (await Promise.all(Array.from({ length: 6 }, (_, n) => visit(campaign.key, `new${n}`)))).every(
        (a) => a.status === 302,
      ),
    'both to send on visits of a new campaign',
  );
});

it('a cap of visits is exceeded by nobody, and is used up', async () => {
  const { campaign, offer } = await desk.chain({
    offer: { visitCapCount: 40, fallbackUrl: 'https://full.example/' },
  });
  // A cap takes effect where a server has taken its first block of five; there are three servers.
  await until(
    async () =>
      Number(
        (
          await desk.pool.query('SELECT coalesce(sum(taken), 0) AS n FROM visit_leases WHERE offer_id = $1', [
            offer.id,
          ])
        ).rows[0].n,
      ) === 15,
    'all servers to hold a block',
  );
  const toOffer = async (): Promise<number> =>
    Number(
      (
        await desk.pool.query(
          `SELECT count(*) AS n FROM visits WHERE campaign_id = $1 AND fate = 'sent' AND NOT is_repeat`,
          [campaign.id],
        )
      ).rows[0].n,
    );
  let sent = 0;
  await until(async () => {
    await Promise.all(Array.from({ length: 8 }, () => visit(campaign.key, `cap${sent++}`)));
    return (await toOffer()) >= 35;
  }, 'the cap to be used up');
  await Promise.all(Array.from({ length: 40 }, () => visit(campaign.key, `over${sent++}`)));
  // The block of the third server, which had no visits.
  expect(await toOffer()).toBe(35);
});

it('a postback at one of them is heard by a browser at another, and told to the source once', async () => {
  const client = new ApiClient(`http://127.0.0.1:${ports.desk}`);
  await client.signIn('owner@desk.test', 'a password of twenty');
  const stop = new AbortController();
  const news: StreamNews[] = [];
  // The stream stays with one process; the calls go to both.
  const res = await fetch(`${client.origin}/api/stream`, {
    headers: { Cookie: client.cookie },
    signal: stop.signal,
  });
  const reading = (async () => {
    for await (const chunk of res.body!.pipeThrough(new TextDecoderStream()))
      for (const [, data] of chunk.matchAll(/^data: (.+)$/gm)) news.push(JSON.parse(data!) as StreamNews);
  })().catch(() => undefined);
  const clicks = (
    await Promise.all(Array.from({ length: 8 }, (_, n) => visit(chain.campaign.key, `pb${n}`)))
  ).map(clickIdIn);
  const calls = clicks.flatMap((id, n) =>
    // Each twice at once: one of them books it, the other one is the same again.
    [0, 1].map(() => get(`/in/${chain.network.key}?click_id=${id}&payout=5&transaction=P${n}&status=ok`)),
  );
  expect((await Promise.all(calls)).every((a) => a.status === 200)).toBe(true);
  await until(async () => news.some((n) => n.topics?.includes('conversions')), 'the browser to hear of it');
  const count = async (sql: string): Promise<number> =>
    Number((await desk.pool.query(`SELECT count(*) AS n FROM ${sql}`, [clicks])).rows[0].n);
  await until(
    async () => (await count(`outcomes WHERE owner = ANY ($1) AND outcome <> 'queued'`)) === 16,
    'all calls to be judged',
  );
  expect(await count('conversions WHERE owner = ANY ($1)')).toBe(8);
  expect(
    await count(`ledger WHERE conversion_id IN (SELECT id FROM conversions WHERE owner = ANY ($1))`),
  ).toBe(8);
  expect(
    await count(`(SELECT conversion_id FROM outbox WHERE conversion_id IN
      (SELECT id FROM conversions WHERE owner = ANY ($1)) GROUP BY conversion_id, status, nth HAVING count(*) > 1) AS twice`),
  ).toBe(0);
  stop.abort();
  await reading;
});

it('wrong passwords are counted for all of them together', async () => {
  // A window begins with the first try, and the test before has tried already.
  await desk.pool.query('DELETE FROM try_counts');
  // Over connections of their own, all at once: whichever process is free takes one.
  const answers = await Promise.all(
    Array.from({ length: 12 }, async () => {
      const res = await fetch(`http://127.0.0.1:${ports.desk}/api/sign-in`, {
        method: 'POST',
        headers: {
          Origin: `http://127.0.0.1:${ports.desk}`,
          'Content-Type': 'application/json',
          Connection: 'close',
        },
        body: JSON.stringify({ email: 'nobody@desk.test', password: 'not the right one at all' }),
      });
      return res.status;
    }),
  );
  expect(answers.sort()).toEqual([...Array<number>(10).fill(401), 429, 429]);
});

it('one that is killed loses nothing that was answered, and is started again', async () => {
  const before = await workers();
  const answered: string[] = [];
  let isOver = false;
  const lanes = Array.from({ length: 8 }, async (_, lane) => {
    for (let n = 0; !isOver; n++) {
      const answer = await visit(chain.campaign.key, `k${lane}-${n}`).catch(() => null);
      if (answer?.status === 302) answered.push(clickIdIn(answer));
    }
  });
  await until(async () => answered.length > 50, 'visits to come');
  process.kill(before[0]!, 'SIGKILL');
  const then = answered.length;
  await until(async () => answered.length > then + 50, 'visits to come after the kill');
  await until(
    async () => (await workers()).length === 2 && !(await workers()).includes(before[0]!),
    'another process in its place',
  );
  isOver = true;
  await Promise.all(lanes);
  const kept = async (): Promise<number> =>
    Number(
      (await desk.pool.query('SELECT count(*) AS n FROM visits WHERE id = ANY ($1)', [answered])).rows[0].n,
    );
  await until(async () => (await kept()) === answered.length, 'every answered visit to be there');
});

it('a server does without the library of the index, which takes a sixth of a second to load', () => {
  const loads = (name: string): boolean =>
    readFileSync(`server/dist/${name}.cjs`, 'latin1').includes('require("@duckdb/');
  expect(loads('numbers')).toBe(true);
  expect(loads('server')).toBe(false);
});
