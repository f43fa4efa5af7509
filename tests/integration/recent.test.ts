/** What came of late, for the routing editor: which way visits went, what they told, and their mix. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { PartRecord, RecentCampaign, RecentMix, RecentValues } from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import type { Chain } from './testDesk.ts';

const DESKTOP = 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0';
let desk: SharedDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain();
  const clicks = [
    await chain.send('clk=a&site=s1&bid=0.02'),
    await chain.send('clk=b&site=s1&bid=0.03', { 'User-Agent': DESKTOP }),
    await chain.send('clk=c&site=s2&bid=0.02', { 'User-Agent': `${DESKTOP} more` }),
    // A bot, a repeat: they are in none of the figures.
    await chain.send('clk=d&site=s3', { 'User-Agent': 'curl/8' }),
    await chain.send('clk=a&site=s4'),
  ];
  await desk.say(chain.network.key, `click_id=${clicks[0]}&payout=1`);
});
afterAll(() => desk.close());
const get = async <T>(path: string, id = chain.campaign.id): Promise<T> => {
  const { status, body } = await desk.owner.get<T>(`/campaigns/${id}/${path}`);
  expect(status).toBe(200);
  return body;
};

describe('what came of late', () => {
  it('says which way the visits went and what became of them', async () => {
    const { visits, isCut, ways, cappedOfferIds } = await get<RecentCampaign>('recent');
    expect([visits, isCut, cappedOfferIds]).toEqual([3, false, []]);
    expect(ways).toEqual([
      {
        branchId: 'otherwise',
        pairingId: 'only',
        landingId: '',
        offerId: chain.offer.id,
        fate: 'sent',
        visits: 3,
        clicked: 0,
        converted: 1,
      },
    ]);
    expect((await get<RecentCampaign>('recent?from=2020-01-01&to=2020-01-31')).visits).toBe(0);
  });
  it('lists the values with their counts; of a campaign without visits those of its source', async () => {
    const { isOfSource, fields } = await get<RecentValues>('recent-values');
    expect(isOfSource).toBe(false);
    expect(fields.find((f) => f.field === 'sub_site')!.values).toEqual([
      { value: 's1', visits: 2 },
      { value: 's2', visits: 1 },
    ]);
    expect(fields.find((f) => f.field === 'device')!.values).toContainEqual({ value: 'phone', visits: 1 });
    // Nothing is known of it, so that there is nothing to choose.
    expect(fields.find((f) => f.field === 'isp')).toBeUndefined();
    const body = { ...chain.campaign.body, name: 'A new one' };
    const fresh: PartRecord<'campaign'> = await desk.make('campaign', body);
    const ofSource = await get<RecentValues>('recent-values', fresh.id);
    expect(ofSource.isOfSource).toBe(true);
    expect(ofSource.fields.find((f) => f.field === 'sub_site')!.values).toHaveLength(2);
  });
  it('gives the visits by the fields that are asked for, each value once', async () => {
    const mix = await get<RecentMix>('mix?fields=sub_site,device,is_unique,cost_micros,has_converted');
    expect(mix.at).toHaveLength(3);
    const of = (field: string): string[] => {
      const { values, rows } = mix.columns.find((c) => c.field === field)!;
      return rows.map((at) => values[at]!);
    };
    // Newest first.
    expect(of('sub_site')).toEqual(['s2', 's1', 's1']);
    expect(of('device')).toEqual(['desktop', 'desktop', 'phone']);
    expect(of('is_unique')).toEqual(['yes', 'yes', 'yes']);
    expect(of('cost_micros')).toEqual(['0.02', '0.03', '0.02']);
    expect(of('has_converted')).toEqual(['', '', '']);
    expect(mix.costs).toEqual({ currency: 'EUR', values: ['0.02', '0.03'], rows: [0, 1, 0] });
  });
  it('is another desk’s business nowhere', async () => {
    const other = await makeDesk();
    for (const path of ['recent', 'recent-values', 'mix?fields=country'])
      expect((await other.owner.get(`/campaigns/${chain.campaign.id}/${path}`)).status).toBe(404);
    await other.close();
  });
});
