import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type { StreamNews } from '@tracheon/core/contract';
import { openTestDesk, until, type Chain, type TestDesk } from './testDesk.ts';

let desk: TestDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await openTestDesk();
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
  const reading = (async () => {
    for await (const chunk of res.body!.pipeThrough(new TextDecoderStream()))
      for (const line of chunk.split('\n'))
        if (line.startsWith('data: ')) news.push(JSON.parse(line.slice(6)) as StreamNews);
  })().catch(() => undefined);
  const heard = (topic: StreamNews['topics'][number]) =>
    until(async () => news.some((n) => n.topics.includes(topic)), topic, 2000);

  const click = await chain.send();
  await heard('visits');
  await desk.call(chain.network.key, `click_id=${click}&payout=5`);
  await heard('booked');
  await desk.make('event-type', { name: 'Sign-up', word: 'signup' });
  await heard('parts');
  expect(news.every((n) => n.deskId === desk.deskId)).toBe(true);
  stop.abort();
  await reading;
});
