/** How good the visits of a partner are: each figure, and the visits behind it. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type {
  PartnerQuality,
  PartRecord,
  Problem,
  QualityCheck,
  QualityVisit,
} from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { PHONE, until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
let partner: PartRecord<'partner'>;
let today: string;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain({ network: { relation: 'direct' } });
  partner = await desk.make('partner', { name: 'Crake Ads' });
  today = new Intl.DateTimeFormat('en-CA', { timeZone: 'Europe/Brussels' }).format(Date.now());
});
afterAll(() => desk.close());

const visit = async (address: string, agent = PHONE, who = partner.id): Promise<string> => {
  const res = await desk.visit(`/v/${chain.campaign.key}?clk=${Math.random()}&site=owls&partner=${who}`, {
    'X-Forwarded-For': address,
    'User-Agent': agent,
  });
  expect(res.status).toBe(302);
  return new URL(res.headers.get('location')!).searchParams.get('aff_ref')!;
};
const quality = async (): Promise<PartnerQuality> =>
  (await desk.owner.get<PartnerQuality>(`/partners/${partner.id}/quality?from=${today}&to=${today}`)).body;
const countOf = async (check: QualityCheck): Promise<[number, number]> => {
  const found = (await quality()).checks.find((c) => c.check === check)!;
  return [found.count, found.of];
};
const visitsOf = async (check: QualityCheck): Promise<QualityVisit[]> =>
  (
    await desk.owner.get<{ rows: QualityVisit[] }>(
      `/partners/${partner.id}/quality/visits?from=${today}&to=${today}&check=${check}`,
    )
  ).body.rows;

describe('the traffic of a partner', () => {
  it('counts bots, listed addresses, the same visitors, fast conversions and rejected ones, with the visits behind', async () => {
    const unknown = (await quality()).checks.find((c) => c.check === 'listed')!;
    expect(unknown.unknown).toMatch(/^Not known/);
    await desk.owner.put('/desk/bots', { agents: [], addresses: ['203.0.113.0/24'] });
    const other = await desk.make('partner', { name: 'Avocet Reach' });

    const first = await visit('198.51.100.1');
    const again = await visit('198.51.100.1');
    await visit('198.51.100.2');
    await visit('198.51.100.1', 'Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101 Firefox/145.0');
    const bot = await visit('198.51.100.3', 'Googlebot/2.1');
    await visit('198.51.100.1', PHONE, other.id);
    await until(async () => (await quality()).visits >= 5, 'the visits');
    expect(await countOf('bots')).toEqual([1, 5]);
    expect((await visitsOf('bots')).map((v) => [v.id, v.why])).toEqual([[bot, 'user agent of a bot']]);
    expect(await countOf('same_visitor')).toEqual([1, 4]);
    expect((await visitsOf('same_visitor')).map((v) => [v.id, v.why, v.subs.site])).toEqual([
      [again, 'visit 2 of this visitor', 'owls'],
    ]);
    // The list of the desk holds for visits from when it is live.
    await until(async () => {
      await visit('203.0.113.9');
      return (await countOf('listed'))[0] > 0;
    }, 'a visit from a listed address');
    expect((await visitsOf('listed'))[0]!.why).toBe('address on your list');

    await desk.say(chain.network.key, `click_id=${first}&transaction=Q1&payout=5&status=ok`);
    await desk.say(chain.network.key, `click_id=${again}&transaction=Q2&payout=5&status=no`);
    expect(await countOf('fast')).toEqual([2, 2]);
    expect((await visitsOf('fast')).map((v) => v.id).sort()).toEqual([first, again].sort());
    expect(await countOf('rejected')).toEqual([1, 2]);
    expect((await visitsOf('rejected')).map((v) => [v.id, v.why])).toEqual([[again, 'conversion rejected']]);
    expect((await quality()).medianSeconds).toBeGreaterThanOrEqual(0);
  });

  it('refuses what is no partner of the desk, and periods that are too long', async () => {
    const at = (id: string, from: string) =>
      desk.owner.get<Problem>(`/partners/${id}/quality?from=${from}&to=${today}`);
    expect((await at(chain.offer.id, today)).status).toBe(404);
    expect((await at(partner.id, '2020-01-01')).status).toBe(422);
    const elsewhere = await makeDesk();
    try {
      const there = await elsewhere.owner.get(`/partners/${partner.id}/quality?from=${today}&to=${today}`);
      expect(there.status).toBe(404);
    } finally {
      await elsewhere.close();
    }
  });
});
