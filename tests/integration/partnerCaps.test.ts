/** Caps by partner and by money, and sub-IDs that a partner may not send: who is sent on, who is not, and what the visit says. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { MoreCap, PartRecord, Problem } from '@tracheon/core/contract';
import type { PromotedOffer } from '@tracheon/core/contract/partnerPage';
import { person } from './partnerPeople.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let saleId: string;
beforeAll(async () => {
  desk = await makeDesk();
  const { rows } = await desk.pool.query<{ id: string }>(
    `SELECT id FROM parts WHERE desk_id = $1 AND kind = 'event-type'`,
    [desk.deskId],
  );
  saleId = rows[0]!.id;
});
afterAll(() => desk.close());

let serial = 0;
const FALLBACK = 'https://elsewhere.example/full';
const newPartner = (more: object = {}): Promise<PartRecord<'partner'>> =>
  desk.make('partner', { name: `Crake ${++serial}`, ...more });
const capped = (caps: (partnerId: string) => Partial<MoreCap>[], partnerId: string): Promise<Chain> =>
  desk.chain({
    network: { relation: 'direct' },
    offer: {
      currency: 'EUR',
      fallbackUrl: FALLBACK,
      partnerAccess: 'open',
      moreCaps: caps(partnerId),
      partnerPayouts: [{ eventTypeId: saleId, pays: 'fixed', amountMicros: '6000000' }],
    },
  });
const go = async (chain: Chain, partner: string, more = ''): Promise<string> => {
  const res = await desk.visit(
    `/v/${chain.campaign.key}?clk=${Math.random()}${partner && `&partner=${partner}`}${more}`,
  );
  return res.headers.get('location') ?? '';
};
const sell = async (chain: Chain, partner: string, status = 'ok'): Promise<void> => {
  const clickId = new URL(await go(chain, partner)).searchParams.get('aff_ref')!;
  await desk.say(
    chain.network.key,
    `click_id=${clickId}&transaction=C${++serial}&payout=10&currency=EUR&status=${status}`,
  );
};
const isClosed = async (chain: Chain, partner: string): Promise<boolean> =>
  (await go(chain, partner)) === FALLBACK;
const untilClosed = (chain: Chain, partner: string): Promise<void> =>
  until(() => isClosed(chain, partner), 'the cap to close the offer');

describe('caps', () => {
  it('of each partner close the offer to whoever reached it, and to nobody else', async () => {
    const [one, two] = [await newPartner(), await newPartner()];
    const chain = await capped(() => [{ who: 'each', count: 2 }], one.id);
    await sell(chain, one.id);
    await sell(chain, one.id, 'no');
    expect(await isClosed(chain, one.id)).toBe(false);
    await sell(chain, one.id);
    await untilClosed(chain, one.id);
    expect([await isClosed(chain, two.id), await isClosed(chain, '')]).toEqual([false, false]);
  });

  it('of one partner by its payouts, and of all by revenue', async () => {
    const [one, two] = [await newPartner(), await newPartner()];
    const byPayout = await capped(
      (partnerId) => [{ who: 'one', partnerId, measure: 'payout', amountMicros: '12000000' }],
      one.id,
    );
    for (const who of [two.id, two.id, one.id]) await sell(byPayout, who);
    expect([await isClosed(byPayout, one.id), await isClosed(byPayout, two.id)]).toEqual([false, false]);
    await sell(byPayout, one.id);
    await untilClosed(byPayout, one.id);
    expect(await isClosed(byPayout, two.id)).toBe(false);

    const byRevenue = await capped(
      () => [{ who: 'all', measure: 'revenue', amountMicros: '20000000' }],
      one.id,
    );
    await sell(byRevenue, one.id);
    await sell(byRevenue, '');
    await untilClosed(byRevenue, '');
    expect(await isClosed(byRevenue, two.id)).toBe(true);
  });

  it('are told to the partner whose they are, and refused where they say nothing', async () => {
    const partner = await newPartner();
    const chain = await capped(
      (partnerId) => [
        { who: 'each', count: 20, period: 'day' },
        { who: 'one', partnerId, measure: 'payout', amountMicros: '500000000', period: 'month' },
        { who: 'all', measure: 'revenue', amountMicros: '900000000', period: 'total' },
      ],
      partner.id,
    );
    const client = await person(desk, partner);
    const offers = (await client.get<PromotedOffer[]>('/offers')).body;
    expect(offers.find((o) => o.id === chain.offer.id)!.caps).toEqual([
      'At most 20 conversions per day',
      'At most 500.00 EUR per month',
    ]);
    const { body } = chain.offer;
    for (const [cap, field] of [
      [{ who: 'one' }, 'partnerId'],
      [{ who: 'each', count: 0 }, 'count'],
      [{ who: 'all', measure: 'payout' }, 'amountMicros'],
    ] as const) {
      const refused = await desk.owner.put<Problem>(`/parts/offer/${chain.offer.id}`, {
        version: chain.offer.version,
        body: { ...body, moreCaps: [cap] },
      });
      expect(refused.body.fields?.map((f) => f.path)).toContain(`moreCaps.0.${field}`);
    }
  });
});

describe('blocked sub-IDs', () => {
  it('send the visit to the fallback URL, whole and with a note; other values and other partners go on', async () => {
    const blocked = await newPartner({
      blockedSubs: [{ sub: 'site', values: ['spam.example', 'robots.example'] }],
    });
    const free = await newPartner();
    const chain = await capped(() => [], blocked.id);
    await until(
      async () => (await go(chain, blocked.id, '&site=spam.example')) === FALLBACK,
      'the block to be live',
    );
    expect(await go(chain, blocked.id, '&site=kites.example')).not.toBe(FALLBACK);
    expect(await go(chain, free.id, '&site=spam.example')).not.toBe(FALLBACK);
    expect(await go(chain, '', '&site=spam.example')).not.toBe(FALLBACK);
    const { rows } = await desk.pool.query<{ notes: string[]; offer_id: string; fate: string }>(
      `SELECT notes, offer_id, fate FROM visits WHERE desk_id = $1 AND brought_by = $2 AND subs->>'site' = 'spam.example'`,
      [desk.deskId, blocked.id],
    );
    expect(rows.length).toBeGreaterThan(0);
    for (const row of rows) {
      expect([row.offer_id, row.fate]).toEqual(['', 'offer_fallback']);
      expect(row.notes).toContain('blocked_sub');
    }
  });

  it('are checked: a name twice, and a row without values', async () => {
    const make = (blockedSubs: object[]) =>
      desk.owner.post<Problem>('/parts/partner', { name: `Bad ${++serial}`, blockedSubs });
    const twice = await make([
      { sub: 'site', values: ['a'] },
      { sub: 'site', values: ['b'] },
    ]);
    expect(twice.status).toBe(422);
    expect((await make([{ sub: 'site', values: [] }])).body.fields?.[0]?.path).toBe('blockedSubs.0.values');
    expect((await make([{ sub: '__proto__', values: ['a'] }])).status).toBe(422);
  });
});
