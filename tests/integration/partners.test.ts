/** Partners: visits by their links, conversions by their IDs, before and after there was a record of them. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { numbersAsked, type PartRecord, type Problem, type WatchTrial } from '@tracheon/core/contract';
import type { KeptIndex } from '../../server/numbers/keptIndex.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { caughtUp, openIndex } from './testIndex.ts';
import { until, type Chain } from './testDesk.ts';

const folder = mkdtempSync(join(tmpdir(), 'tracheon-partners-'));
let desk: SharedDesk;
let kept: KeptIndex;
let chain: Chain;
let bittern: PartRecord<'partner'>;
const errors: string[] = [];
const today = new Date().toLocaleDateString('en-CA', { timeZone: 'Europe/Brussels' });
beforeAll(async () => {
  desk = await makeDesk();
  kept = openIndex(desk.pool, join(folder, 'numbers.duckdb'), errors);
  // Before the chain: once that takes visits, the partner is known as well.
  bittern = await desk.make('partner', { name: 'Bittern Media', email: 'ads@bittern.example' });
  chain = await desk.chain({
    offer: { link: 'https://go.larkspur.example/o/1?ref={click_id}&who={partner_id}', currency: 'EUR' },
  });
});
afterAll(async () => {
  await kept.close();
  await desk.close();
  rmSync(folder, { recursive: true, force: true });
  expect(errors).toEqual([]);
});

const change = (p: PartRecord<'partner'>, body: object) =>
  desk.owner.put<PartRecord<'partner'> & Problem>(`/parts/partner/${p.id}`, {
    version: p.version,
    body: { ...p.body, ...body },
  });
/** Conversions and visits of the desk by partner, as Numbers has them. */
async function byPartner(): Promise<Record<string, [visits: number, conversions: number]>> {
  await caughtUp(desk.pool, kept, errors);
  const answer = await kept.ask(
    desk.deskId,
    numbersAsked.parse({ from: today, to: today, by: ['brought_by'] }),
    new AbortController().signal,
  );
  return Object.fromEntries(
    answer!.rows.map((r) => [
      r.names[0] || 'nobody',
      [Number(r.figures.visits), Number(r.figures.conversions)],
    ]),
  );
}

describe('a partner’s link', () => {
  it('counts the visit for the partner, and tells the advertiser whose it is', async () => {
    const go = async (query: string): Promise<URL> =>
      new URL((await desk.visit(`/v/${chain.campaign.key}?${query}`)).headers.get('location')!);
    expect((await go(`clk=p1&bid=0.1&partner=${bittern.id}`)).searchParams.get('who')).toBe(bittern.id);
    expect((await go('clk=p2&bid=0.1')).searchParams.get('who')).toBe('');
    expect((await go('clk=p3&bid=0.1&partner=01M8NOBODYOFTHISDESK00000A')).searchParams.get('who')).toBe('');
    const id = await chain.send(`clk=p4&bid=0.1&partner=${bittern.id}`);
    await desk.say(chain.network.key, `click_id=${id}&payout=7&status=ok&transaction=P-4`);
    const { rows } = await desk.pool.query<{ brought_by: string; notes: string[] }>(
      'SELECT brought_by, notes FROM visits WHERE desk_id = $1 ORDER BY id',
      [desk.deskId],
    );
    expect(rows.map((r) => [r.brought_by, r.notes.includes('unknown_partner')])).toEqual([
      [bittern.id, false],
      ['', false],
      ['', true],
      [bittern.id, false],
    ]);
    expect(await byPartner()).toEqual({ 'Bittern Media': [2, 1], nobody: [2, 0] });
  });

  it('makes the partner somebody whom a watch looks at', async () => {
    const watch = {
      name: 'Partners that send visits',
      subject: 'brought_by',
      conditions: [{ figure: 'visits', is: '>=', than: 2, unit: 'own' }],
      isGuarded: false,
      windowHours: 24,
      skipHours: 0,
    };
    const found = async (): Promise<string[]> =>
      (await desk.owner.post<WatchTrial>('/watches/try', watch)).body.found.map((f) => f.name);
    // Visits of nobody are nobody’s.
    await until(async () => (await found()).join() === 'Bittern Media', 'the partner');
    const { body } = await desk.owner.post<Problem>('/watches', { ...watch, act: 'pause' });
    expect(body.fields?.map((f) => f.path)).toEqual(['act']);
  });

  it('of another desk counts for nobody', async () => {
    const other = await makeDesk();
    try {
      const theirs = await other.make('partner', { name: 'Theirs' });
      await chain.send(`clk=p5&bid=0.1&partner=${theirs.id}`);
      const { rows } = await desk.pool.query<{ n: number }>(
        'SELECT count(*)::int AS n FROM visits WHERE brought_by = $1',
        [theirs.id],
      );
      expect(rows[0]!.n).toBe(0);
    } finally {
      await other.close();
    }
  });

  it('can be asked for by a branch', async () => {
    const other = await desk.make('offer', {
      name: 'For Bittern alone',
      networkId: chain.network.id,
      link: 'https://go.larkspur.example/o/2?ref={click_id}',
      currency: 'EUR',
    });
    const own = await desk.chain();
    const { version, body } = own.campaign;
    const pairing = (id: string, offerId: string) => ({
      id,
      landingPageId: '',
      offerIds: [offerId],
      weight: 1,
    });
    const saved = await desk.owner.put<Problem>(`/parts/campaign/${own.campaign.id}`, {
      version,
      body: {
        ...body,
        routing: {
          branches: [
            {
              id: 'bittern',
              name: 'Bittern',
              when: { on: 'brought_by', op: 'is', values: [bittern.id] },
              pairings: [pairing('b1', other.id)],
            },
          ],
          otherwise: { pairings: [pairing('o1', own.offer.id)] },
        },
      },
    });
    expect([saved.status, saved.body.fields]).toEqual([200, undefined]);
    const path = async (query: string): Promise<string> =>
      new URL((await desk.visit(`/v/${own.campaign.key}?${query}`)).headers.get('location')!).pathname;
    await until(async () => (await path(`partner=${bittern.id}`)) === '/o/2', 'the branch');
    expect(await path('clk=1')).not.toBe('/o/2');
    // Whom a branch asks for can't be archived under it.
    expect((await desk.owner.put(`/parts/partner/${bittern.id}/state`, { state: 'archived' })).status).toBe(
      409,
    );
  });
});

describe('a conversion by a partner’s ID', () => {
  let network: PartRecord<'network'>;
  const book = (who: string, transaction: string) =>
    desk.say(network.key, `aff=${who}&prog=K-1&payout=9&transaction=${transaction}`);
  const whose = async (transaction: string): Promise<string> => {
    const { rows } = await desk.pool.query<{ brought_by: string }>(
      'SELECT brought_by FROM conversions WHERE desk_id = $1 AND transaction = $2',
      [desk.deskId, transaction],
    );
    return rows[0]!.brought_by;
  };
  beforeAll(async () => {
    network = await desk.make('network', {
      name: 'Kitewright direct',
      relation: 'direct',
      fields: { partner_id: { macro: '', parameter: 'aff' }, offer_id: { macro: '', parameter: 'prog' } },
    });
    await desk.make('offer', {
      name: 'Kite starter set',
      networkId: network.id,
      link: 'https://kitewright.example/1',
      currency: 'EUR',
      idAtNetwork: 'K-1',
    });
  });

  it('is the partner’s who has this ID, or is known by it', async () => {
    await book(bittern.id, 'K1');
    expect(await whose('K1')).toBe(bittern.id);
    const before = (await byPartner())['Bittern Media']![1];
    await book('p77', 'K2');
    expect(await whose('K2')).toBe('');
    // Known by it from now on: also what came before is theirs, in Numbers too.
    const known = await change(bittern, { knownAs: ['p77'] });
    expect(known.status).toBe(200);
    bittern = known.body;
    expect(await whose('K2')).toBe(bittern.id);
    await book('p77', 'K3');
    expect(await whose('K3')).toBe(bittern.id);
    expect((await desk.booked()).find((c) => c.transaction === 'K3')).toMatchObject({
      partnerId: 'p77',
      partnerName: 'Bittern Media',
    });
    expect((await byPartner())['Bittern Media']![1]).toBe(before + 2);
    // Also those that come while it is saved.
    const [renamed] = await Promise.all([
      change(bittern, { knownAs: ['p77', 'p88'] }),
      ...Array.from({ length: 24 }, (_, i) => book('p88', `R${i}`)),
    ]);
    bittern = renamed.body;
    for (let i = 0; i < 24; i++) expect(await whose(`R${i}`)).toBe(bittern.id);
    bittern = (await change(bittern, { knownAs: ['p77'] })).body;
    for (let i = 0; i < 24; i++) expect(await whose(`R${i}`)).toBe('');
    // One ID is one partner’s.
    const twin = await desk.owner.post<Problem>('/parts/partner', { name: 'Twin', knownAs: ['p77'] });
    expect(twin.body.fields).toEqual([{ path: 'knownAs.0', message: 'Bittern Media has this ID already.' }]);
    // An ID that is taken off is nobody’s; the partner’s own stays.
    bittern = (await change(bittern, { knownAs: [] })).body;
    expect([await whose('K1'), await whose('K2'), await whose('K3')]).toEqual([bittern.id, '', '']);
    expect((await byPartner())['Bittern Media']![1]).toBe(before);
  });
});
