/** Branches and splits: which way real visits go, what a returning visitor keeps, and what cannot be saved. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type {
  ConditionLeaf,
  PartRecord,
  PortableFile,
  Routing,
  RunningConfiguration,
  WholeVisit,
} from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
let second: PartRecord<'offer'>;
let third: PartRecord<'offer'>;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain({ offer: { link: 'https://first.example/' } });
  const offer = (name: string) =>
    desk.make('offer', {
      ...chain.offer.body,
      name: `${name} ${chain.offer.body.name}`,
      link: `https://${name}.example/`,
    });
  [second, third] = [await offer('second'), await offer('third')];
});
afterAll(() => desk.close());

const pairing = (id: string, offerId: string, more: object = {}) => ({ id, offerIds: [offerId], ...more });
const site = (value: string, op: ConditionLeaf['op'] = 'is') => ({ on: 'sub_site', op, values: [value] });
const branch = (id: string, when: object, ...pairings: object[]) => ({ id, name: id, when, pairings });
async function route(routing: object): Promise<{ status: number; body: never }> {
  const { body } = await desk.owner.get<PartRecord<'campaign'>>(`/parts/campaign/${chain.campaign.id}`);
  const saved = await desk.owner.put<never>(`/parts/campaign/${chain.campaign.id}`, {
    version: body.version,
    body: { ...body.body, routing },
  });
  if (saved.status === 200) {
    await until(
      async () => (await desk.owner.get<RunningConfiguration>('/configuration')).body.isLive,
      'the routing to be live',
    );
  }
  return saved;
}
const hostOf = (res: Response): string => new URL(res.headers.get('location')!).host;
async function visitOf(
  clk: string,
  query: string,
  headers: Record<string, string> = {},
): Promise<WholeVisit> {
  const id = await chain.send(`clk=${clk}&${query}`, headers);
  return (await desk.owner.get<WholeVisit>(`/visits/${id}`)).body;
}
/** Branch and pairing. */
const wayOf = ({ dimensions }: WholeVisit): string[] =>
  ['branch_id', 'pairing_id'].map((name) => dimensions.find((d) => d.name === name)!.value);
const fields = (answer: { body: unknown }): { path: string; message: string }[] =>
  (answer.body as { fields: { path: string; message: string }[] }).fields;

it('the first branch that holds takes the visit; everything else goes the way of otherwise', async () => {
  const saved = await route({
    branches: [
      {
        ...branch(
          'kiosks',
          { all: [site('^kiosk-', 'matches'), { not: site('kiosk-sued') }] },
          pairing('k', second.id),
        ),
        // The visit shows it by its name.
        name: 'All kiosks but one',
      },
      branch('all-kiosks', site('kiosk', 'contains'), pairing('a', third.id)),
    ],
    otherwise: { pairings: [pairing('o', chain.offer.id)] },
  });
  expect([saved.status, (saved.body as PartRecord<'campaign'>).body.offerId]).toEqual([200, '']);
  const way = async (query: string): Promise<string[]> => {
    const visit = await visitOf(`w${Math.random()}`, query);
    return [...wayOf(visit), visit.offerId];
  };
  expect(await way('site=kiosk-nord')).toEqual(['All kiosks but one', 'k', second.id]);
  expect(await way('site=kiosk-sued')).toEqual(['all-kiosks', 'a', third.id]);
  expect(await way('site=blog')).toEqual(['otherwise', 'o', chain.offer.id]);
  expect(await way('')).toEqual(['otherwise', 'o', chain.offer.id]);
});

it('a split gives each its share; what is off or cannot take visitors is left out', async () => {
  await route({
    branches: [],
    otherwise: {
      split: 'weights',
      pairings: [
        pairing('a', chain.offer.id, { weight: 1 }),
        pairing('b', second.id, { weight: 3 }),
        pairing('c', third.id, { weight: 100, isOn: false }),
      ],
    },
  });
  const times: Record<string, number> = {};
  const N = 200;
  for (let i = 0; i < N; i++) {
    const host = hostOf(await desk.visit(`/v/${chain.campaign.key}?clk=s${i}`, {}, 'HEAD'));
    times[host] = (times[host] ?? 0) + 1;
  }
  // 200 draws with a chance of 1 in 4: outside 20 to 85 once in ten million runs.
  expect(times['first.example']).toBeGreaterThan(20);
  expect(times['first.example']).toBeLessThan(85);
  expect(times['second.example']).toBe(N - times['first.example']!);
  const now = (await desk.owner.get<PartRecord<'offer'>>(`/parts/offer/${second.id}`)).body;
  await desk.owner.put(`/parts/offer/${second.id}`, {
    version: now.version,
    body: { ...now.body, sending: 'paused' },
  });
  await until(async () => {
    for (let i = 0; i < 20; i++)
      if (hostOf(await desk.visit(`/v/${chain.campaign.key}`, {}, 'HEAD')) === 'second.example') return false;
    return true;
  }, 'the paused offer to be skipped');
  const again = (await desk.owner.get<PartRecord<'offer'>>(`/parts/offer/${second.id}`)).body;
  await desk.owner.put(`/parts/offer/${second.id}`, {
    version: again.version,
    body: { ...again.body, sending: 'live' },
  });
});

it('a returning visitor keeps the pairing by cookie, within the branch that holds now', async () => {
  await route({
    branches: [
      branch(
        'returning',
        { on: 'is_unique', op: 'is', values: ['no'] },
        pairing('r', third.id),
        pairing('r2', second.id),
      ),
    ],
    otherwise: { split: 'even', pairings: [pairing('a', chain.offer.id), pairing('b', second.id)] },
  });
  const first = await desk.visit(`/v/${chain.campaign.key}?clk=ret1`, {
    'User-Agent': 'Mozilla/5.0 (X11; Linux x86_64) Gecko Firefox/140.0 unique',
  });
  const cookie = first.headers.get('set-cookie')!.split(';')[0]!;
  const drawn = hostOf(first) === 'first.example' ? 'a' : 'b';
  expect(cookie).toBe(`v_${chain.campaign.key}=${drawn}`);
  // Now another branch holds, in which that pairing is none.
  const kept = await visitOf('ret2', '', { Cookie: cookie });
  expect(wayOf(kept)[0]).toBe('returning');
  for (let i = 0; i < 8; i++) {
    const again = await visitOf(`ret3${i}`, '', { Cookie: `v_${chain.campaign.key}=r2` });
    expect(wayOf(again)).toEqual(['returning', 'r2']);
  }
});

describe('what cannot be right is refused with its place', () => {
  const otherwise = () => ({ pairings: [pairing('o', chain.offer.id)] });
  it.each([
    [{ weight: -1 }, 'Enter zero or more.'],
    [{ weight: 10_001 }, 'Enter at most 10000.'],
    [{ weight: Number.NaN }, ''],
    [{ weight: 1.5 }, 'Enter a whole number.'],
    [{ offerIds: [] }, 'Choose the offer.'],
    [{ id: 'a b' }, 'letters'],
  ])('%j', async (more, says) => {
    const refused = await route({
      branches: [],
      otherwise: { pairings: [pairing('o', chain.offer.id, more)] },
    });
    expect(refused.status).toBe(422);
    expect(fields(refused)[0]!.path).toMatch(/^routing\.otherwise\.pairings\.0\./);
    expect(fields(refused)[0]!.message).toContain(says);
  });
  it('conditions, patterns, IDs twice, and offers of another desk', async () => {
    const refusedAt = async (branches: object[]): Promise<string[]> => {
      const refused = await route({ branches, otherwise: otherwise() });
      expect(refused.status).toBe(422);
      return fields(refused).map((f) => `${f.path}: ${f.message}`);
    };
    const [mine] = [pairing('p', chain.offer.id)];
    expect(
      await refusedAt([branch('b', { on: 'sub_site', op: 'matches', values: ['(?=x)'] }, mine)]),
    ).toEqual([expect.stringMatching(/^routing\.branches\.0\.when\.values: .*not a pattern/)]);
    expect((await refusedAt([branch('b', { on: 'moon', op: 'is', values: ['full'] }, mine)]))[0]).toMatch(
      /^routing\.branches\.0\.when\.values: A condition can’t ask for “moon”/,
    );
    expect(
      (
        await refusedAt([branch('b', site('x'), mine), branch('b', site('y'), pairing('q', chain.offer.id))])
      )[0],
    ).toContain('twice');
    const other = await makeDesk();
    const theirs = await other.chain();
    expect(await refusedAt([branch('b', site('x'), pairing('p', theirs.offer.id))])).toEqual([
      expect.stringMatching(
        /^routing\.branches\.0\.pairings\.0\.offerIds\.0: This offer is archived or does not exist/,
      ),
    ]);
    await other.close();
  });
  it('thousands of conditions at once, quickly', async () => {
    const many = { any: Array.from({ length: 5000 }, (_, i) => site(`s${i}`)) };
    const refused = await route({
      branches: [branch('b', many, pairing('p', chain.offer.id))],
      otherwise: otherwise(),
    });
    expect(refused.status).toBe(422);
  });
});

it('an offer in a branch is in use: it is not archived, and travels by its name', async () => {
  const routing = {
    branches: [branch('kiosks', site('kiosk'), pairing('k', third.id))],
    otherwise: { pairings: [pairing('o', chain.offer.id)] },
  };
  await route(routing);
  const archived = await desk.owner.put<{ code: string }>(`/parts/offer/${third.id}/state`, {
    state: 'archived',
  });
  expect([archived.status, archived.body.code]).toEqual([409, 'still_in_use']);
  const used = await desk.owner.get<{ id: string }[]>(`/parts/offer/${third.id}/used-by`);
  expect(used.body.map((u) => u.id)).toEqual([chain.campaign.id]);
  const { body: file } = await desk.owner.post<PortableFile>('/parts-export', { ids: [chain.campaign.id] });
  const carried = file.parts.find((p) => p.kind === 'campaign')!.body as unknown as { routing: Routing };
  expect(carried.routing.branches[0]!.pairings[0]!.offerIds).toEqual([third.body.name]);
});
