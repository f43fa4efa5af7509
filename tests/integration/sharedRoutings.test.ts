/** Routings that several campaigns share: a change in one of them is a change of all, live for visitors of each. */
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import type {
  CampaignInput,
  ChangeAnswer,
  PartRecord,
  Problem,
  Routing,
  SharedRoutingRow,
} from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, untilLive, type Chain } from './testDesk.ts';

type Campaign = PartRecord<'campaign'>;
let desk: SharedDesk;
let chain: Chain;
let second: PartRecord<'offer'>;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain({ offer: { link: 'https://first.example/' } });
  second = await desk.make('offer', { ...chain.offer.body, name: 'Second', link: 'https://second.example/' });
});
afterAll(() => desk.close());

const read = async (c: Campaign): Promise<Campaign> =>
  (await desk.owner.get<Campaign>(`/parts/campaign/${c.id}`)).body;
const save = async (c: Campaign, more: Partial<CampaignInput>, version?: number) => {
  const now = await read(c);
  return desk.owner.put<Campaign & Problem>(`/parts/campaign/${c.id}`, {
    version: version ?? now.version,
    body: { ...now.body, ...more },
  });
};
const to = (offerId: string): Routing => ({
  branches: [],
  otherwise: {
    split: 'weights',
    pairings: [{ id: 'p', landingPageId: '', offerIds: [offerId], weight: 1, isOn: true, from: '', to: '' }],
  },
});
const goesTo = async (c: Campaign): Promise<string> =>
  new URL((await desk.visit(`/v/${c.key}`, {}, 'HEAD')).headers.get('location')!).host;
const list = async (): Promise<SharedRoutingRow[]> =>
  (await desk.owner.get<SharedRoutingRow[]>('/shared-routings')).body;

let n = 0;
let one: Campaign;
let two: Campaign;
let shared: SharedRoutingRow;
beforeEach(async () => {
  n += 1;
  one = await desk.make('campaign', { ...chain.campaign.body, name: `One ${n}` });
  two = await desk.make('campaign', {
    ...chain.campaign.body,
    name: `Two ${n}`,
    offerId: '',
    routing: to(second.id),
  });
  const made = await desk.owner.post<SharedRoutingRow>('/shared-routings', {
    name: `Kites ${n}`,
    campaignId: one.id,
  });
  expect(made.status).toBe(201);
  shared = made.body;
  await untilLive(desk, two.key);
});

describe('a shared routing', () => {
  it('is taken over by a campaign that begins to share it, and changed by any of them for all', async () => {
    expect(shared.campaigns.map((c) => c.id)).toEqual([one.id]);
    expect((await save(two, { sharedRoutingId: shared.id })).status).toBe(200);
    await until(async () => (await goesTo(two)) === 'first.example', 'what is shared');
    const versions = [(await read(one)).version, (await read(two)).version];
    expect((await save(two, { routing: to(second.id) })).status).toBe(200);
    await until(async () => (await goesTo(one)) === 'second.example', 'the change of the other');
    expect([(await read(one)).version, (await read(two)).version]).toEqual([
      versions[0]! + 1,
      versions[1]! + 1,
    ]);
    const row = (await list()).find((s) => s.id === shared.id)!;
    expect(row.routing).toEqual(to(second.id));
    expect(row.campaigns.map((c) => c.id)).toEqual([one.id, two.id]);
    // Something else than the routing is a campaign's own affair.
    await save(one, { notes: 'mine' });
    expect((await read(two)).body.notes).toBe('');
  });
  it('left by a campaign stays as it was for both', async () => {
    await save(two, { sharedRoutingId: shared.id });
    await save(two, { sharedRoutingId: '' });
    await save(two, { routing: to(second.id) });
    expect((await read(one)).body.routing).not.toEqual(to(second.id));
  });
  it('changed by two at once: the second is told', async () => {
    await save(two, { sharedRoutingId: shared.id });
    const seen = (await read(two)).version;
    expect((await save(one, { routing: to(second.id) })).status).toBe(200);
    const late = await save(two, { routing: to(chain.offer.id) }, seen);
    expect([late.status, late.body.code]).toEqual([409, 'changed_meanwhile']);
  });
  it('is not deleted while it is in use, and not by an archived campaign kept', async () => {
    const refused = await desk.owner.remove<Problem>(`/shared-routings/${shared.id}`);
    expect([refused.status, refused.body.detail]).toEqual([409, `Used by One ${n}.`]);
    const state = { version: (await read(one)).version, state: 'archived' };
    expect((await desk.owner.put(`/parts/campaign/${one.id}/state`, state)).status).toBe(200);
    expect((await desk.owner.remove(`/shared-routings/${shared.id}`)).status).toBe(200);
    // It comes back with a routing of its own.
    const back = { version: (await read(one)).version, state: 'live' };
    expect((await desk.owner.put(`/parts/campaign/${one.id}/state`, back)).status).toBe(200);
    expect((await read(one)).body.sharedRoutingId).toBe('');
  });
  it('is what an archived campaign comes back to, as it is by then', async () => {
    await save(two, { sharedRoutingId: shared.id });
    const put = async (state: string) =>
      desk.owner.put(`/parts/campaign/${two.id}/state`, { version: (await read(two)).version, state });
    await put('archived');
    await save(one, { routing: to(second.id) });
    await put('live');
    expect((await read(two)).body.routing).toEqual(to(second.id));
    expect((await list()).find((s) => s.id === shared.id)!.routing).toEqual(to(second.id));
  });
  it('follows a change of many, and its undoing', async () => {
    await save(two, { sharedRoutingId: shared.id });
    const now = await read(one);
    const change = await desk.owner.post<ChangeAnswer>('/parts-changes', {
      words: 'Replace an offer',
      changes: [{ id: one.id, version: now.version, body: { ...now.body, routing: to(second.id) } }],
    });
    expect([change.status, change.body.records.length]).toEqual([201, 2]);
    expect((await read(two)).body.routing).toEqual(to(second.id));
    const undone = await desk.owner.post<ChangeAnswer>(`/parts-changes/${change.body.change.id}/undo`, {});
    expect(undone.status).toBe(200);
    expect((await read(two)).body.routing).toEqual(now.body.routing);
    expect((await list()).find((s) => s.id === shared.id)!.routing).toEqual(now.body.routing);
  });
  it('has a name of its own, is renamed, and is another desk’s nowhere', async () => {
    const again = { name: `Kites ${n}`, campaignId: two.id };
    expect((await desk.owner.post<Problem>('/shared-routings', again)).body.code).toBe('name_taken');
    const renamed = await desk.owner.put<SharedRoutingRow>(`/shared-routings/${shared.id}`, {
      name: `Jars ${n}`,
    });
    expect(renamed.body.name).toBe(`Jars ${n}`);
    const other = await makeDesk();
    expect((await other.owner.get<SharedRoutingRow[]>('/shared-routings')).body).toEqual([]);
    expect((await other.owner.put(`/shared-routings/${shared.id}`, { name: 'Mine' })).status).toBe(404);
    expect((await other.owner.remove(`/shared-routings/${shared.id}`)).status).toBe(404);
    await other.close();
  });
});
