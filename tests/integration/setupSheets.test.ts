/** Setup sheets as drafts that members share, going live from one, and changes of many records at once. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type {
  ChangeAnswer,
  ChangeRow,
  LiveAnswer,
  OpenSheet,
  PartRecord,
  Problem,
  SheetAnswer,
  SheetBody,
  SheetRow,
} from '@tracheon/core/contract';
import type { ApiClient } from './apiClient.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
let mate: ApiClient;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain();
  mate = await desk.member('editor');
});
afterAll(() => desk.close());

const begin = async (body: Partial<SheetBody> = {}): Promise<OpenSheet> => {
  const made = await desk.owner.post<OpenSheet>('/setup-sheets', { body });
  expect(made.status).toBe(201);
  return made.body;
};
const change = (who: ApiClient, sheet: { id: string; version: number }, changes: Partial<SheetBody>) =>
  who.put<SheetAnswer & Problem>(`/setup-sheets/${sheet.id}`, { version: sheet.version, changes });
const drafts = async () => (await desk.owner.get<SheetRow[]>('/setup-sheets')).body;

describe('a setup sheet', () => {
  it('is kept as it is, half typed, and found on another machine', async () => {
    const sheet = await begin({ link: 'https://go.lark', currency: 'EU' });
    await change(desk.owner, sheet, { payoutMicros: '?12,', campaignName: 'NL · ' });
    const there = (await mate.get<OpenSheet>(`/setup-sheets/${sheet.id}`)).body;
    expect(there).toMatchObject({ version: 2, changedBy: 'Owner', campaignId: null });
    expect(there.body).toMatchObject({
      link: 'https://go.lark',
      payoutMicros: '?12,',
      campaignName: 'NL · ',
    });
    expect((await drafts()).map((d) => d.id)).toContain(sheet.id);
  });

  it('shows who else has it open', async () => {
    const sheet = await begin();
    expect(sheet.others).toEqual([]);
    await mate.get(`/setup-sheets/${sheet.id}`);
    expect((await desk.owner.get<OpenSheet>(`/setup-sheets/${sheet.id}`)).body.others).toEqual(['editor']);
    await desk.pool.query(`UPDATE setup_presence SET at = now() - interval '1 minute' WHERE sheet_id = $1`, [
      sheet.id,
    ]);
    expect((await desk.owner.get<OpenSheet>(`/setup-sheets/${sheet.id}`)).body.others).toEqual([]);
  });

  it('takes changes of different fields from two members; of the same field only the first', async () => {
    const sheet = await begin({ campaignName: 'as it was' });
    expect((await change(desk.owner, sheet, { link: 'https://a.example' })).body.collided).toEqual([]);
    // From the version before: another field, so nothing collides.
    const second = await change(mate, sheet, { campaignName: 'by the mate' });
    expect(second.body.collided).toEqual([]);
    expect(second.body.sheet.body).toMatchObject({ link: 'https://a.example', campaignName: 'by the mate' });
    const late = await change(desk.owner, sheet, { campaignName: 'by the owner', product: 'Kites' });
    expect(late.body.collided).toEqual([{ field: 'campaignName', by: 'editor' }]);
    // Nothing of it was kept, and what stands is told.
    expect(late.body.sheet.body).toMatchObject({ campaignName: 'by the mate', product: '' });
    expect(
      (await change(desk.owner, late.body.sheet, { campaignName: 'mine after all' })).body.collided,
    ).toEqual([]);
  });

  it('takes changes at the same time one after the other, and loses none', async () => {
    const sheet = await begin();
    const fields = ['link', 'product', 'country', 'offerName', 'campaignName', 'account'] as const;
    await Promise.all(fields.map((f, i) => change(i % 2 ? mate : desk.owner, sheet, { [f]: 'NL' })));
    const now = (await desk.owner.get<OpenSheet>(`/setup-sheets/${sheet.id}`)).body;
    expect(now.version).toBe(1 + fields.length);
    expect(fields.map((f) => now.body[f])).toEqual(fields.map(() => 'NL'));
  });

  it('refuses what no sheet can hold', async () => {
    const sheet = await begin();
    for (const changes of [
      { link: 'x'.repeat(9000) },
      { nothing: 1 },
      { payoutMode: 'free' },
      { link: 'a\u0000b' },
    ]) {
      const res = await change(desk.owner, sheet, changes as Partial<SheetBody>);
      const unknown = 'nothing' in changes;
      expect([Object.keys(changes), res.status]).toEqual([Object.keys(changes), unknown ? 200 : 422]);
    }
    expect((await desk.owner.get<OpenSheet>(`/setup-sheets/${sheet.id}`)).body.body).toEqual(sheet.body);
    const stranger = await desk.member('viewer');
    expect((await stranger.get(`/setup-sheets/${sheet.id}`)).status).toBe(200);
    expect((await change(stranger, sheet, { link: '' })).status).toBe(403);
  });
});

describe('going live', () => {
  const ready = (more: Partial<SheetBody> = {}): Partial<SheetBody> => ({
    link: 'https://go.larkspur.example/o/kite-kit?aff_ref=REPLACE_ME',
    networkId: chain.network.id,
    sourceId: chain.source.id,
    country: 'NL',
    product: 'Kites',
    ...more,
  });
  const goLive = (who: ApiClient, id: string) =>
    who.post<LiveAnswer & Problem>(`/setup-sheets/${id}/live`, {});

  it('splits visitors over the sheet’s own pairing and the further ones, also over the offer that it makes', async () => {
    const more = [
      { landingPageId: '', offerId: chain.offer.id, weight: 1 },
      { landingPageId: '', offerId: '', weight: 2 },
    ];
    const sheet = await begin(ready({ product: 'Telescopes', weight: 3, pairings: more }));
    expect(sheet.body.pairings).toEqual(more);
    const made = (await goLive(desk.owner, sheet.id)).body;
    const { routing } = (made.campaign as PartRecord<'campaign'>).body;
    expect(routing?.branches).toEqual([]);
    expect(routing?.otherwise.pairings.map((p) => [p.offerIds, p.weight])).toEqual([
      [[made.offer.id], 3],
      [[chain.offer.id], 1],
      [[made.offer.id], 2],
    ]);
    const wrong = await begin(
      ready({
        product: 'Tents',
        pairings: [{ landingPageId: '', offerId: '01M8ZZZZZZ0123456789ABCDEF', weight: 1 }],
      }),
    );
    expect((await goLive(desk.owner, wrong.id)).body.code).toBe('invalid_input');
  });

  it('makes offer and campaign, named by the desk’s rules, with our click ID in its place; visitors go', async () => {
    const sheet = await begin(ready({ fallbackUrl: 'https://else.example/' }));
    const made = await goLive(desk.owner, sheet.id);
    expect(made.status).toBe(200);
    const { offer, campaign } = made.body as unknown as {
      offer: PartRecord<'offer'>;
      campaign: PartRecord<'campaign'>;
    };
    expect(offer.body).toMatchObject({
      name: `Kites · NL · ${chain.network.body.name}`,
      link: 'https://go.larkspur.example/o/kite-kit?aff_ref={click_id}',
      countries: ['NL'],
    });
    expect(campaign.body).toMatchObject({
      name: `NL · Kites · ${chain.source.body.name}`,
      offerId: offer.id,
      fallbackUrl: 'https://else.example/',
      sendBy: 'redirect',
    });
    await until(async () => (await desk.visit(`/v/${campaign.key}`)).status === 302, 'visitors to go');
    // A draft no more, and not to be changed any more.
    expect((await drafts()).map((d) => d.id)).not.toContain(sheet.id);
    const late = await change(desk.owner, made.body.sheet, { product: 'Other' });
    expect([late.status, late.body.code]).toEqual([409, 'already_live']);
  });

  it('gives a second click, and a second member at the same moment, what the first one made', async () => {
    const sheet = await begin(ready({ product: 'Moss' }));
    const all = await Promise.all([
      goLive(desk.owner, sheet.id),
      goLive(mate, sheet.id),
      goLive(desk.owner, sheet.id),
    ]);
    expect(all.map((a) => a.status)).toEqual([200, 200, 200]);
    expect(new Set(all.map((a) => a.body.campaign.id)).size).toBe(1);
    const named = (await desk.owner.get<PartRecord[]>('/parts/offer')).body.filter((o) =>
      o.body.name.startsWith('Moss'),
    );
    expect(named).toHaveLength(1);
  });

  it('sixteen sheets at the same moment all go live: none waits for a connection that another one holds', async () => {
    const sheets = await Promise.all(
      Array.from({ length: 16 }, (_, i) => begin(ready({ product: `Sixteen ${i}` }))),
    );
    const answers = await Promise.all(sheets.map((s) => goLive(desk.owner, s.id)));
    expect(answers.map((a) => a.status)).toEqual(Array<number>(16).fill(200));
  });

  it('makes neither when one of them is not right, and says at which field', async () => {
    const before = (await desk.owner.get<PartRecord[]>('/parts')).body.length;
    const sheet = await begin(
      ready({ product: 'Jars', sourceId: '', costModel: 'visit', costMicros: '?1,2,3' }),
    );
    const refused = await goLive(desk.owner, sheet.id);
    expect([refused.status, refused.body.code]).toEqual([422, 'invalid_input']);
    expect(refused.body.fields!.map((f) => f.path)).toEqual(
      expect.arrayContaining(['sourceId', 'costMicros']),
    );
    expect((await desk.owner.get<PartRecord[]>('/parts')).body).toHaveLength(before);
    const taken = await begin(ready({ product: 'Jars', campaignName: chain.campaign.body.name }));
    const clash = await goLive(desk.owner, taken.id);
    expect([clash.body.code, clash.body.fields?.[0]?.path]).toEqual(['name_taken', 'campaignName']);
    expect((await desk.owner.get<PartRecord[]>('/parts')).body).toHaveLength(before);
  });

  it('says so when a part of the draft was archived meanwhile', async () => {
    const lone = await desk.make<'source'>('source', { name: 'Wrenfeed Social', parameters: [] });
    const sheet = await begin(ready({ product: 'Bread', sourceId: lone.id }));
    await desk.owner.put(`/parts/source/${lone.id}/state`, { state: 'archived' });
    const refused = await goLive(desk.owner, sheet.id);
    expect([refused.status, refused.body.fields?.[0]?.path]).toEqual([422, 'sourceId']);
    expect(refused.body.fields![0]!.message).toMatch(/is archived or does not exist/);
  });

  it('uses an offer of Parts as it is', async () => {
    const sheet = await begin(ready({ offerId: chain.offer.id, product: 'Second' }));
    const made = (await goLive(desk.owner, sheet.id)).body;
    expect([made.offer.id, made.offer.version]).toEqual([chain.offer.id, chain.offer.version]);
  });
});

describe('many at once', () => {
  const campaignsOf = async (): Promise<PartRecord<'campaign'>[]> =>
    (await desk.owner.get<PartRecord<'campaign'>[]>('/parts/campaign')).body;

  it('makes several campaigns, or none of them', async () => {
    const body = (name: string, more: object = {}) => ({ ...chain.campaign.body, name, ...more });
    const before = (await campaignsOf()).length;
    const refused = await desk.owner.post<Problem>('/campaigns-many', {
      campaigns: [body('DK · Kites'), body('JP · Kites'), body('DK · kites')],
    });
    expect([refused.status, refused.body.code]).toEqual([409, 'name_taken']);
    expect(refused.body.fields?.[0]?.path).toBe('2.name');
    expect((await campaignsOf()).length).toBe(before);
    const made = await desk.owner.post<PartRecord[]>('/campaigns-many', {
      campaigns: [body('DK · Kites'), body('JP · Kites')],
    });
    expect([made.status, new Set(made.body.map((c) => c.key)).size]).toEqual([201, 2]);
  });

  it('swaps an offer everywhere as one change, and brings everything back as one', async () => {
    const other = await desk.make<'offer'>('offer', { ...chain.offer.body, name: 'The one that lives' });
    const users = (await campaignsOf()).filter((c) => c.body.offerId === chain.offer.id);
    expect(users.length).toBeGreaterThan(1);
    const swap = () =>
      desk.owner.post<ChangeAnswer & Problem>('/parts-changes', {
        words: `${chain.offer.body.name} swapped for ${other.body.name}`,
        changes: users.map((c) => ({ id: c.id, version: c.version, body: { ...c.body, offerId: other.id } })),
      });
    const done = await swap();
    expect([done.status, done.body.change.count, done.body.change.by]).toEqual([201, users.length, 'Owner']);
    expect((await campaignsOf()).filter((c) => c.body.offerId === chain.offer.id)).toEqual([]);
    // From versions that are no more: refused as a whole.
    const stale = await swap();
    expect([stale.status, stale.body.code]).toEqual([409, 'changed_meanwhile']);

    const undo = () =>
      desk.owner.post<ChangeAnswer & Problem>(`/parts-changes/${done.body.change.id}/undo`, {});
    const [undone, twice] = await Promise.all([undo(), undo()]);
    expect([undone.status, twice.status]).toEqual([200, 200]);
    const back = await campaignsOf();
    for (const u of users)
      expect(back.find((c) => c.id === u.id)).toMatchObject({ body: u.body, version: u.version + 2 });
    const [row] = (await desk.owner.get<ChangeRow[]>('/parts-changes')).body;
    expect(row).toMatchObject({ id: done.body.change.id, undone: true, count: users.length });
  });

  it('undoes nothing when one of the records was changed since, and names it', async () => {
    const [first] = await campaignsOf();
    const done = await desk.owner.post<ChangeAnswer>('/parts-changes', {
      words: 'Renamed by rule',
      changes: [{ id: first!.id, version: first!.version, body: { ...first!.body, name: 'Renamed once' } }],
    });
    const now = done.body.records[0]!;
    await desk.owner.put(`/parts/campaign/${now.id}`, {
      version: now.version,
      body: { ...now.body, name: 'Renamed again' },
    });
    const refused = await desk.owner.post<Problem>(`/parts-changes/${done.body.change.id}/undo`, {});
    expect([refused.status, refused.body.code]).toEqual([409, 'changed_meanwhile']);
    expect(refused.body.detail).toMatch(/Renamed again was changed later, so nothing was undone/);
  });

  it('pauses and archives many as one change, and brings their states back as one', async () => {
    const made = await desk.owner.post<PartRecord<'campaign'>[]>('/campaigns-many', {
      words: 'Duplicated for two countries',
      campaigns: ['NL', 'PT'].map((country) => ({
        ...chain.campaign.body,
        name: `In bulk, ${country}`,
        country,
      })),
    });
    expect(made.status).toBe(201);
    const states = async (): Promise<string[]> =>
      (await campaignsOf()).filter((c) => made.body.some((m) => m.id === c.id)).map((c) => c.state);
    const all = async (state: string): Promise<ChangeAnswer> => {
      const now = (await campaignsOf()).filter((c) => made.body.some((m) => m.id === c.id));
      const changes = now.map((c) => ({ id: c.id, version: c.version, state }));
      return (await desk.owner.post<ChangeAnswer>('/parts-changes', { words: `All ${state}`, changes })).body;
    };
    const paused = await all('paused');
    expect(await states()).toEqual(['paused', 'paused']);
    expect((await desk.owner.post(`/parts-changes/${paused.change.id}/undo`, {})).status).toBe(200);
    expect(await states()).toEqual(['live', 'live']);
    const archived = await all('archived');
    expect(await states()).toEqual(['archived', 'archived']);
    await desk.owner.post(`/parts-changes/${archived.change.id}/undo`, {});
    expect(await states()).toEqual(['live', 'live']);
    // A change that changes nothing is none.
    const none = { words: 'Nothing', changes: [{ id: made.body[0]!.id, version: 1 }] };
    expect((await desk.owner.post('/parts-changes', none)).status).toBe(422);
  });

  it('lists what was created together; undone, it is archived', async () => {
    const created = await desk.owner.post<PartRecord<'campaign'>[]>('/campaigns-many', {
      words: 'Duplicated for Japan',
      campaigns: [{ ...chain.campaign.body, name: 'In bulk, JP', country: 'JP' }],
    });
    const [row] = (await desk.owner.get<ChangeRow[]>('/parts-changes')).body;
    expect(row).toMatchObject({ words: 'Duplicated for Japan', count: 1, undone: false });
    expect((await desk.owner.post(`/parts-changes/${row!.id}/undo`, {})).status).toBe(200);
    const [now] = (await campaignsOf()).filter((c) => c.id === created.body[0]!.id);
    expect(now!.state).toBe('archived');
  });
});
