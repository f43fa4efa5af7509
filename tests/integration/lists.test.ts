/** Lists as the server searches, filters, sorts and pages them, and one postback opened. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type {
  ConversionRow,
  FoundThings,
  Page,
  PostbackInRow,
  PostbackOutRow,
  VisitRow,
  WholePostbackIn,
} from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import type { Chain } from './testDesk.ts';

let desk: SharedDesk;
let one: Chain;
let two: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  one = await desk.chain();
  two = await desk.chain({
    source: { postbackUrl: 'https://ads.moorhen.example/p?uid={source_click_id}' },
  });
  const payouts = ['7.50', '3', '12.25', '3', '0.80'];
  for (const [i, payout] of payouts.entries()) {
    const clickId = await one.send(i === 0 ? 'site=first' : `clk=c${i}`);
    await desk.say(one.network.key, `click_id=${clickId}&payout=${payout}&transaction=T-${i}&status=pending`);
  }
  const other = await two.send('clk=other');
  await desk.say(two.network.key, `click_id=${other}&payout=5&transaction=T-other`);
  await desk.say(two.network.key, 'click_id=nobody&payout=1');
});
afterAll(() => desk.close());

/** All rows, page by page. */
async function walk<R>(path: string, limit: number): Promise<R[]> {
  const rows: R[] = [];
  let cursor = '';
  for (let pages = 0; pages < 20; pages++) {
    const { body } = await desk.owner.get<Page<R>>(
      `${path}${path.includes('?') ? '&' : '?'}limit=${limit}&cursor=${cursor}`,
    );
    rows.push(...body.rows);
    if (body.next === null) return rows;
    cursor = encodeURIComponent(body.next);
  }
  throw new Error('a list that never ends');
}
const ids = (rows: { id: string }[]): string[] => rows.map((r) => r.id);

describe('sorting and paging', () => {
  it.each(['at', 'status', 'payout', 'base', 'event', 'campaign', 'offer', 'transaction'])(
    'conversions by %s: both ways, each once, whatever the size of a page',
    async (sort) => {
      const up = await walk<ConversionRow>(`/conversions?sort=${sort}`, 2);
      expect(up).toHaveLength(6);
      expect(new Set(ids(up)).size).toBe(6);
      expect(ids(await walk(`/conversions?sort=-${sort}`, 4))).toEqual(ids(up).reverse());
    },
  );
  it('amounts by their value, names by their letters', async () => {
    const byPayout = await walk<ConversionRow>('/conversions?sort=payout', 2);
    expect(byPayout.map((c) => Number(c.payoutMicros) / 1e6)).toEqual([0.8, 3, 3, 5, 7.5, 12.25]);
    const byTransaction = await walk<ConversionRow>('/conversions?sort=-transaction', 3);
    expect(byTransaction.map((c) => c.transaction)).toEqual(['T-other', 'T-4', 'T-3', 'T-2', 'T-1', 'T-0']);
  });
  it('a page begins where the one before ended, also when rows came in meanwhile', async () => {
    const first = (await desk.owner.get<Page<VisitRow>>('/visits?limit=2')).body;
    await one.send('clk=meanwhile');
    const cursor = encodeURIComponent(first.next!);
    const second = (await desk.owner.get<Page<VisitRow>>(`/visits?limit=2&cursor=${cursor}`)).body;
    const before = (await walk<VisitRow>('/visits', 50)).filter((v) => v.sourceClickId !== 'meanwhile');
    expect([...ids(first.rows), ...ids(second.rows)]).toEqual(ids(before).slice(0, 4));
  });
  it('what no list has given out, or none sorts by, is refused', async () => {
    for (const query of ['cursor=abc', 'cursor=WyJhIl0', 'sort=zebra', 'sort=--at', 'kind=zebra', 'limit=0'])
      expect([query, (await desk.owner.get(`/conversions?${query}`)).status]).toEqual([query, 422]);
  });
  it('so is a cursor of another sort, and one that was written by hand', async () => {
    const { next } = (await desk.owner.get<Page<ConversionRow>>('/conversions?sort=transaction&limit=1'))
      .body;
    const status = async (sort: string, cursor: string): Promise<number> =>
      (await desk.owner.get(`/conversions?sort=${sort}&cursor=${encodeURIComponent(cursor)}`)).status;
    expect(await status('payout', next!)).toBe(422);
    const made = (...parts: string[]): string => Buffer.from(JSON.stringify(parts)).toString('base64url');
    expect(await status('payout', made('payout', 'a lot', 'x'))).toBe(422);
    expect(await status('at', made('at', 'yesterday', 'x'))).toBe(422);
    expect(await status('offer', made('offer', 'a\0', 'x'))).toBe(422);
  });
});

describe('filters', () => {
  it('conversions by campaign, offer, network, status and tests', async () => {
    const count = async (query: string): Promise<number> => (await walk(`/conversions?${query}`, 50)).length;
    expect(await count(`campaign=${two.campaign.id}`)).toBe(1);
    expect(await count(`offer=${one.offer.id}`)).toBe(5);
    expect(await count(`network=${two.network.id}&kind=pending`)).toBe(0);
    expect(await count('kind=pending')).toBe(5);
    expect(await count('tests=none')).toBe(6);
    expect(await count('tests=only')).toBe(0);
  });
  it('visits by what an ID trail counts', async () => {
    const of = async (kind: string): Promise<string[]> =>
      (await walk<VisitRow>(`/visits?campaign=${one.campaign.id}&kind=${kind}&hours=24`, 50)).map(
        (v) => v.sourceClickId,
      );
    expect(await of('without_click_id')).toEqual(['']);
    expect(await of('with_click_id')).toHaveLength(5);
    expect(await of('counted')).toHaveLength(6);
    expect(await of('to_offer')).toHaveLength(6);
    expect(await of('fallback')).toEqual([]);
    expect(await of('bot')).toEqual([]);
  });
  it('postbacks by network, campaign and outcome; postbacks out by source and campaign', async () => {
    expect((await walk(`/postbacks-in?network=${two.network.id}`, 1)).length).toBeGreaterThan(1);
    expect(await walk(`/postbacks-in?campaign=${two.campaign.id}`, 1)).toHaveLength(1);
    expect((await walk('/postbacks-in?kind=repair', 1)).length).toBeGreaterThan(0);
    const out = await walk<PostbackOutRow>('/postbacks-out', 50);
    expect(out.length).toBeGreaterThan(0);
    expect(await walk(`/postbacks-out?source=${two.source.id}`, 50)).toHaveLength(1);
    expect(await walk(`/postbacks-out?campaign=${two.campaign.id}`, 50)).toHaveLength(1);
  });
});

it('the palette finds a postback that became no conversion, by what the partner sent', async () => {
  await desk.say(two.network.key, 'click_id=&payout=1&transaction=LK-lost-42&status=strange');
  const { body } = await desk.owner.get<FoundThings>('/find?text=lk-LOST-42');
  expect(body.rows).toEqual([
    expect.objectContaining({ what: 'postback', title: expect.stringContaining('needs repair') }),
  ]);
  // One that was booked is found as the conversion that it became.
  const booked = (await desk.owner.get<FoundThings>('/find?text=T-other')).body.rows;
  expect(booked.map((r) => r.what)).toEqual(['conversion']);
});

describe('one postback opened', () => {
  const open = async (row: PostbackInRow): Promise<WholePostbackIn> =>
    (await desk.owner.get<WholePostbackIn>(`/postbacks-in/${row.id}`)).body;

  it('how it was read, its visit, what it booked, and what went on', async () => {
    const [row] = await walk<PostbackInRow>(`/postbacks-in?campaign=${two.campaign.id}`, 50);
    const whole = await open(row!);
    expect(whole.steps.find((s) => s.field === 'Payout')).toMatchObject({
      value: '5',
      meaning: 'Read as 5.00.',
    });
    expect(whole.visit).toMatchObject({ campaignId: two.campaign.id, clickId: row!.clickId });
    expect(whole.conversion).toMatchObject({ status: 'approved', transaction: 'T-other' });
    expect(whole.booked).toMatchObject([{ kind: 'earn', deltaMicros: '5000000' }]);
    expect(whole.sent).toMatchObject([{ status: 'approved' }]);
  });
  it('where it needs repair, the step that does', async () => {
    const [row] = await walk<PostbackInRow>('/postbacks-in?kind=repair&search=nobody', 50);
    const whole = await open(row!);
    expect(whole.steps.filter((s) => s.isTrouble).map((s) => s.field)).toEqual(['Click ID']);
    expect(whole).toMatchObject({ visit: null, conversion: null, booked: [], sent: [] });
  });
  it('not of another desk, and not what is none', async () => {
    const other = await makeDesk();
    const [row] = await walk<PostbackInRow>('/postbacks-in', 50);
    expect((await other.owner.get(`/postbacks-in/${row!.id}`)).status).toBe(404);
    expect((await desk.owner.get('/postbacks-in/01KAVB5T9C7QK2M8W3XJ4RZ6ND')).status).toBe(404);
    await other.close();
  });
});
