/** A landing page that sells several offers: each button leads to its own, and a conversion belongs to the one that was clicked. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type { PartRecord, RunningConfiguration, WholeVisit } from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
let other: PartRecord<'network'>;
let kite: PartRecord<'offer'>;
let lamp: PartRecord<'offer'>;
let page: PartRecord<'landing-page'>;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain({ offer: { link: 'https://box.example/' } });
  other = await desk.make('network', { ...chain.network.body, name: 'Saltmarsh Partners' });
  kite = await desk.make('offer', {
    ...chain.offer.body,
    name: 'Kite kit',
    link: 'https://kite.example/',
    payoutMode: 'fixed',
    payoutMicros: '7000000',
  });
  lamp = await desk.make('offer', {
    ...chain.offer.body,
    name: 'Star lamp',
    link: 'https://lamp.example/',
    networkId: other.id,
  });
  page = await desk.make('landing-page', { name: 'Three gifts', url: 'https://gifts.test/', buttons: 4 });
  expect((await route(pairing('gifts'))).status).toBe(200);
});
afterAll(() => desk.close());

const pairing = (id: string, more: object = {}) => ({
  id,
  landingPageId: page.id,
  offerIds: [chain.offer.id, kite.id, lamp.id],
  ...more,
});
async function route(...pairings: object[]): Promise<{ status: number; body: unknown }> {
  const path = `/parts/campaign/${chain.campaign.id}`;
  const { body } = await desk.owner.get<PartRecord<'campaign'>>(path);
  const saved = await desk.owner.put(path, {
    version: body.version,
    body: { ...body.body, routing: { branches: [], otherwise: { pairings } } },
  });
  if (saved.status === 200) await live();
  return saved;
}
const live = (): Promise<void> =>
  until(
    async () => (await desk.owner.get<RunningConfiguration>('/configuration')).body.isLive,
    'the change to be live',
  );
async function press(id: string, n: number | string): Promise<string> {
  const res = await desk.visit(`/b/${page.key}/${n}?click_id=${id}`);
  return new URL(res.headers.get('location')!).host;
}
/** Offer, network and payout of each conversion of the visit. */
const bookedOn = async (id: string): Promise<string[]> =>
  (await desk.booked())
    .filter((c) => c.clickId === id)
    .map((c) => `${c.offerName} ${c.networkName} ${c.payoutMicros}`);

it('each button leads to its own offer; one without, and what is no button, lead to the visit’s', async () => {
  const id = await chain.send('clk=each');
  expect([await press(id, 1), await press(id, 2), await press(id, 3)]).toEqual([
    'box.example',
    'kite.example',
    'lamp.example',
  ]);
  expect([await press(id, 4), await press(id, '02'), await press(id, 9)]).toEqual(
    Array(3).fill('box.example'),
  );
  const { buttonClicks } = (await desk.owner.get<WholeVisit>(`/visits/${id}`)).body;
  expect(buttonClicks.map((c) => [c.n, c.offerName])).toEqual([
    [1, chain.offer.body.name],
    [2, 'Kite kit'],
    [3, 'Star lamp'],
    [4, chain.offer.body.name],
    [0, chain.offer.body.name],
    [9, chain.offer.body.name],
  ]);
});

it('a conversion belongs to the offer that was clicked: its terms, its network, its cap', async () => {
  const id = await chain.send('clk=kite');
  await press(id, 2);
  // Fixed by the kite's own terms, whatever is reported.
  expect(await desk.say(chain.network.key, `click_id=${id}&payout=18`)).toMatchObject({
    outcome: 'accepted',
  });
  expect(await bookedOn(id)).toEqual([`Kite kit ${chain.network.body.name} 7000000`]);
  // Told again after another click, it stays where it was booked.
  await press(id, 1);
  expect(await desk.say(chain.network.key, `click_id=${id}&payout=18&status=back`)).toMatchObject({
    outcome: 'updated',
  });
  expect(await bookedOn(id)).toEqual([`Kite kit ${chain.network.body.name} 7000000`]);
  const plain = await chain.send('clk=box');
  await desk.say(chain.network.key, `click_id=${plain}&payout=18`);
  expect(await bookedOn(plain)).toEqual([`${chain.offer.body.name} ${chain.network.body.name} 18000000`]);
  // A button that is clicked afterwards takes nothing over, also when the conversion is folded again.
  await press(plain, 2);
  await desk.say(chain.network.key, `click_id=${plain}&payout=19&status=ok`);
  expect(await bookedOn(plain)).toEqual([`${chain.offer.body.name} ${chain.network.body.name} 19000000`]);
});

it('the other network may call only about a visit that clicked its button', async () => {
  const id = await chain.send('clk=lamp');
  await press(id, 1);
  expect(await desk.say(other.key, `click_id=${id}&payout=4`)).toMatchObject({ outcome: 'repair' });
  await press(id, 3);
  const again = await chain.send('clk=lamp-2');
  await press(again, 3);
  expect(await desk.say(other.key, `click_id=${again}&payout=4`)).toMatchObject({ outcome: 'accepted' });
  expect(await bookedOn(again)).toEqual(['Star lamp Saltmarsh Partners 4000000']);
  // Of two networks the first that told has the conversion: the second never changes it.
  expect(await desk.say(chain.network.key, `click_id=${again}&payout=9`)).toMatchObject({
    outcome: 'repair',
  });
  expect(await bookedOn(again)).toEqual(['Star lamp Saltmarsh Partners 4000000']);
});

it('a button whose offer takes nobody falls back; the others go on, and so does the page', async () => {
  const save = async (offer: PartRecord<'offer'>, more: object): Promise<void> => {
    const { body } = await desk.owner.get<PartRecord<'offer'>>(`/parts/offer/${offer.id}`);
    await desk.owner.put(`/parts/offer/${offer.id}`, {
      version: body.version,
      body: { ...body.body, ...more },
    });
    await live();
  };
  const id = await chain.send('clk=paused');
  await save(kite, { sending: 'paused', fallbackOfferId: lamp.id });
  expect([await press(id, 1), await press(id, 2)]).toEqual(['box.example', 'lamp.example']);
  await save(kite, { fallbackOfferId: '', fallbackUrl: 'https://elsewhere.test/' });
  expect(await press(id, 2)).toBe('elsewhere.test');
  await save(kite, { fallbackUrl: '' });
  expect(await press(id, 2)).toBe('box.example');
  // The first offer paused: the page stays while one of its offers can take the visitor.
  await save(chain.offer, { sending: 'paused' });
  const next = await chain.send('clk=paused-2');
  expect([await press(next, 1), await press(next, 3)]).toEqual(['lamp.example', 'lamp.example']);
  await save(chain.offer, { sending: 'live' });
  await save(kite, { sending: 'live' });
});

it('a pairing that is removed while its visitors are on the page still has its offers', async () => {
  const id = await chain.send('clk=removed');
  expect((await route({ id: 'direct', offerIds: [lamp.id] })).status).toBe(200);
  expect([await press(id, 1), await press(id, 2), await press(id, 3)]).toEqual([
    'box.example',
    'kite.example',
    'lamp.example',
  ]);
  expect((await route(pairing('gifts'))).status).toBe(200);
});

it('several offers without a page are refused, and an offer that a button needs can’t be archived', async () => {
  const refused = await route(pairing('gifts', { landingPageId: '' }));
  expect(refused).toMatchObject({
    status: 422,
    body: {
      fields: [
        {
          path: 'routing.otherwise.pairings.0.offerIds',
          message: 'Several offers need a landing page with a button for each.',
        },
      ],
    },
  });
  const archived = await desk.owner.put<{ code: string }>(`/parts/offer/${kite.id}/state`, {
    state: 'archived',
  });
  expect([archived.status, archived.body.code]).toEqual([409, 'still_in_use']);
});
