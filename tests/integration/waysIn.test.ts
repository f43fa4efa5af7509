/** Ways in besides a single call by a server: a JSON list of calls, and pixels on an advertiser's page. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { NetworkSeen, PostbackInRow } from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain();
});
afterAll(() => desk.close());

const post = (body: string, key = chain.network.key) =>
  desk.call(key, '', { method: 'POST', headers: { 'Content-Type': 'application/json' }, body });
const receiptsWith = async (text: string): Promise<PostbackInRow[]> =>
  (await desk.postbacksIn()).filter((r) => (r.rawQuery + r.body).includes(text));
const judged = async (text: string, times: number): Promise<PostbackInRow[]> => {
  await until(async () => {
    const rows = await receiptsWith(text);
    return rows.length === times && rows.every((r) => r.outcome !== 'queued');
  }, `${times} receipts with ${text}`);
  return receiptsWith(text);
};

describe('a JSON list of calls', () => {
  it('is one receipt for each element, in one commit, answered by one list in the same order', async () => {
    const [a, b] = [await chain.send(), await chain.send()];
    const calls = [
      { click_id: a, payout: 5, transaction: 'list-1' },
      { click_id: b, payout: 6, transaction: 'list-2', status: 'hld' },
      'list-3, which is no object',
    ];
    const answer = await post(JSON.stringify(calls));
    expect(answer.status).toBe(200);
    expect(JSON.parse(answer.text)).toEqual({ outcomes: Array(3).fill(expect.anything()) });
    const rows = (await judged('list-', 3)).sort((x, y) => (x.id < y.id ? -1 : 1));
    expect(rows.map((r) => [r.outcome, r.reason])).toEqual([
      ['accepted', 'booked'],
      ['repair', 'unmapped_status'],
      ['repair', 'unreadable_body'],
    ]);
    const { rows: commits } = await desk.pool.query(
      'SELECT DISTINCT tx::text FROM receipts WHERE desk_id = $1 AND id = ANY ($2)',
      [desk.deskId, rows.map((r) => r.id)],
    );
    expect(commits).toHaveLength(1);
  });

  it('of one call is answered by a list too', async () => {
    const id = await chain.send();
    expect(JSON.parse((await post(`[{"click_id":"${id}"}]`)).text)).toHaveProperty('outcomes');
  });

  it('of 1 000 is taken, of more refused whole; so is one with an element that is too long', async () => {
    const many = (n: number): string =>
      JSON.stringify(Array.from({ length: n }, (_, i) => ({ x_mark: `th-${i}` })));
    const taken = await post(many(1000));
    expect([taken.status, (JSON.parse(taken.text) as { outcomes: unknown[] }).outcomes.length]).toEqual([
      200, 1000,
    ]);
    const count = async (): Promise<number> => {
      const { rows } = await desk.pool.query<{ n: number }>(
        `SELECT count(*)::int AS n FROM receipts WHERE desk_id = $1 AND body LIKE '%th-%'`,
        [desk.deskId],
      );
      return rows[0]!.n;
    };
    expect(await count()).toBe(1000);
    expect((await post(many(1001))).status).toBe(413);
    expect((await post(JSON.stringify([{ x: 'y'.repeat(70_000) }]))).status).toBe(413);
    expect((await post(`[${'1,'.repeat(99_999)}1]`)).status).toBe(413);
    expect((await post(`[${'[1],'.repeat(1_000_000)}1]`)).status).toBe(413);
    expect(await count()).toBe(1000);
  });

  it('that does not close, or is nested without end, is one receipt that says so', async () => {
    await post('[{"click_id":"unclosed-list"}');
    expect((await judged('unclosed-list', 1))[0]).toMatchObject({ reason: 'unreadable_body' });
    await post(`[{"deep-list":${'['.repeat(1000)}${']'.repeat(1000)}}]`);
    expect((await judged('deep-list', 1))[0]).toMatchObject({ reason: 'unreadable_body' });
  });
});

describe('a pixel', () => {
  const fetchPixel = (form: string, query: string, headers: Record<string, string> = {}) =>
    fetch(`${desk.tracking}/in/${chain.network.key}.${form}?${query}`, { headers });
  const visitWithCookie = async (): Promise<{ id: string; cookie: string }> => {
    const res = await desk.visit(`/v/${chain.campaign.key}?clk=px`);
    const id = new URL(res.headers.get('location')!).searchParams.get('aff_ref')!;
    const cookie = /last_visits=[^;]+/.exec(res.headers.get('set-cookie') ?? '')![0];
    await until(async () => (await desk.visits()).some((v) => v.id === id), 'the visit');
    return { id, cookie };
  };

  it.each([
    ['gif', 'image/gif'],
    ['html', 'text/html'],
    ['js', 'text/javascript'],
  ])('as %s with a click ID is booked like any call', async (form, type) => {
    const id = await chain.send();
    const res = await fetchPixel(form, `click_id=${id}&payout=4&transaction=px-${form}`);
    expect([res.status, res.headers.get('content-type'), res.headers.get('cache-control')]).toEqual([
      200,
      expect.stringContaining(type),
      'no-store',
    ]);
    expect((await judged(`px-${form}`, 1))[0]).toMatchObject({ outcome: 'accepted', clickId: id });
  });

  it('without a click ID is of the visit in the browser’s cookie, as far as we have signed it', async () => {
    const { id, cookie } = await visitWithCookie();
    await fetchPixel('gif', 'payout=4&transaction=by-cookie', { Cookie: cookie });
    const [row] = await judged('by-cookie', 1);
    expect(row).toMatchObject({ outcome: 'accepted', clickId: id });
    expect(row!.notes).toContain('cookie:click_id');
    await fetchPixel('gif', 'payout=4&x_mark=forged', { Cookie: cookie.slice(0, -3) + 'abc' });
    expect((await judged('forged', 1))[0]).toMatchObject({ outcome: 'repair', reason: 'no_cookie' });
  });

  it('picks the visit of its own network where a browser has several; none of another’s', async () => {
    const other = await desk.chain();
    const mine = await visitWithCookie();
    const res = await desk.visit(`/v/${other.campaign.key}?clk=px2`, { Cookie: mine.cookie });
    const both = /last_visits=[^;]+/.exec(res.headers.get('set-cookie') ?? '')![0];
    await fetchPixel('js', 'transaction=of-two', { Cookie: both });
    expect((await judged('of-two', 1))[0]).toMatchObject({ clickId: mine.id });
    const theirs = /last_visits=[^;]+/.exec(
      (await desk.visit(`/v/${other.campaign.key}?clk=px3`)).headers.get('set-cookie') ?? '',
    )![0];
    await fetchPixel('js', 'x_mark=only-theirs', { Cookie: theirs });
    expect((await judged('only-theirs', 1))[0]).toMatchObject({ reason: 'no_cookie' });
  });

  it('from a browser is held where the network must come from its own address, unless it accepts pixels', async () => {
    const strict = await desk.chain({ network: { allowedAddresses: ['203.0.113.9'] } } as never);
    const id = await strict.send();
    const call = (mark: string) =>
      fetch(`${desk.tracking}/in/${strict.network.key}.gif?click_id=${id}&transaction=${mark}`);
    await call('held-px');
    expect((await judged('held-px', 1))[0]).toMatchObject({ outcome: 'held' });
    const { body, version } = strict.network;
    await desk.owner.put(`/parts/network/${strict.network.id}`, {
      version,
      body: { ...body, acceptsPixels: true },
    });
    await until(async () => {
      await call('open-px');
      const rows = await receiptsWith('open-px');
      return rows.some((r) => r.outcome === 'accepted' || r.outcome === 'duplicate');
    }, 'the pixel to be taken');
  });

  it('is counted by browser, with those whose conversion nobody knows', async () => {
    const seen = (await desk.owner.get<NetworkSeen>(`/parts/network/${chain.network.id}/seen`)).body;
    const sum = (of: 'count' | 'byTag' | 'byCookie' | 'lost') => seen.pixels.reduce((n, p) => n + p[of], 0);
    expect(sum('byTag')).toBeGreaterThanOrEqual(3);
    expect([sum('byCookie'), sum('lost')]).toEqual([2, 2]);
    expect(seen.pixels.flatMap((p) => p.lostSums)).toContainEqual({ currency: '', micros: '4000000' });
    expect(sum('count')).toBe(sum('byTag') + sum('byCookie') + sum('lost'));
  });

  it('is fetched, not posted to; a thousand times the same is one conversion', async () => {
    const post = await fetch(`${desk.tracking}/in/${chain.network.key}.gif`, { method: 'POST' });
    expect([post.status, post.headers.get('allow')]).toEqual([405, 'GET']);
    const id = await chain.send();
    for (let n = 0; n < 10; n++)
      await Promise.all(
        Array.from({ length: 20 }, () => fetchPixel('gif', `click_id=${id}&transaction=again`)),
      );
    await judged('again', 200);
    expect((await desk.booked()).filter((c) => c.transaction === 'again')).toHaveLength(1);
  });
});
