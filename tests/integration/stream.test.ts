import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type { HealthNews, StreamNews } from '@tracheon/core/contract';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { until, type Chain } from './testDesk.ts';

let desk: OwnDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await openOwnServer({}, { canBeCut: true });
  chain = await desk.chain();
});
afterAll(() => desk.close());

it('tells an open browser within two seconds what has moved, one JSON line each, of its own desk only', async () => {
  const stop = new AbortController();
  const res = await fetch(`${desk.owner.origin}/api/stream`, {
    headers: { Cookie: desk.owner.cookie },
    signal: stop.signal,
  });
  expect(res.headers.get('content-type')).toContain('text/event-stream');
  const news: StreamNews[] = [];
  const health: HealthNews[] = [];
  const reading = (async () => {
    for await (const chunk of res.body!.pipeThrough(new TextDecoderStream()))
      for (const [, name, data] of chunk.matchAll(/(?:event: (\w+)\n)?data: (.+)\n/g))
        if (name === 'health') health.push(JSON.parse(data!) as HealthNews);
        else news.push(JSON.parse(data!) as StreamNews);
  })().catch(() => undefined);
  const heard = (topic: StreamNews['topics'][number]) =>
    until(async () => news.some((n) => n.topics.includes(topic)), topic);

  const click = await chain.send();
  await heard('visits');
  await desk.call(chain.network.key, `click_id=${click}&payout=5`);
  await heard('conversions');
  await desk.make('event-type', { name: 'Sign-up', word: 'signup' });
  await heard('parts');
  expect(news.every((n) => n.deskId === desk.deskId)).toBe(true);
  // How the server stands comes on opening, and at each change, also while the database is away.
  expect(health.map((h) => h.database)).toEqual(['up']);
  await desk.database.relay.cut();
  await until(async () => health.at(-1)?.database === 'away', 'the bad news');
  await chain.send();
  await until(async () => health.at(-1)?.waiting === 1, 'the count to grow');
  news.length = 0;
  await desk.database.relay.open();
  await until(async () => health.at(-1)?.database === 'up', 'the good news');
  // What waited on disk is told of once it can be seen.
  await heard('visits');
  stop.abort();
  await reading;
});
