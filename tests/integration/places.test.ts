/** The operator's own place files, and a desk's own list of bots: what a visit knows by them. */
import { mkdtempSync, rmSync, unlinkSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { BotList, WholeVisit } from '@tracheon/core/contract';
import { Places } from '../../server/places/places.ts';
import { writePlaceFile } from './placeFile.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { PHONE, until, type Chain } from './testDesk.ts';

describe('place files', () => {
  const folder = mkdtempSync(join(tmpdir(), 'tracheon-places-'));
  afterAll(() => rmSync(folder, { recursive: true }));
  const file = join(folder, 'cities.mmdb');
  const isp = join(folder, 'providers.mmdb');
  let clock = 1_000_000;
  /** Two files of one size within one tick of the clock would look the same. */
  const write = (path: string, places: Parameters<typeof writePlaceFile>[1]): void => {
    writePlaceFile(path, places);
    utimesSync(path, clock, (clock += 10));
  };
  const nested = {
    country: { iso_code: 'NL' },
    subdivisions: [{ names: { en: 'Utrecht' } }],
    city: { names: { en: 'Amersfoort' } },
  };

  it('tell each field by the first file that knows it, in both shapes, and the country by the box', async () => {
    write(file, {
      '198.18.7.7': nested,
      '198.18.7.8': { country_code: 'pt', state1: 'Porto', city: 'Porto' },
    });
    write(isp, {
      '198.18.7.7': { isp: 'Veerdienst Net', connection_type: 'Cable', country: { iso_code: 'BE' } },
    });
    const places = await Places.open([file, isp], 'Thanks to the makers.');
    expect(places.find('198.18.7.7')).toEqual({
      country: 'NL',
      region: 'Utrecht',
      city: 'Amersfoort',
      isp: 'Veerdienst Net',
      connection: 'Cable',
    });
    expect(places.find('198.18.7.8')).toMatchObject({
      country: 'PT',
      region: 'Porto',
      city: 'Porto',
      isp: '',
    });
    // In no file of ours.
    expect(places.find('193.0.6.139')).toMatchObject({ country: 'NL', city: '' });
    expect(places.find('nowhere')).toMatchObject({ country: '', city: '' });
    expect(places.list()).toMatchObject({
      notice: 'Thanks to the makers.',
      files: [
        { name: 'cities.mmdb', type: 'Test places', trouble: '' },
        { name: 'providers.mmdb', trouble: '' },
      ],
    });
  });
  it('are opened anew when they change; a broken or missing one leaves the last in use and says so', async () => {
    write(file, { '198.18.7.7': nested });
    const places = await Places.open([file], '');
    expect(places.find('198.18.7.7').city).toBe('Amersfoort');
    write(file, { '198.18.7.7': { ...nested, city: 'Soest' } });
    await places.look();
    expect(places.find('198.18.7.7').city).toBe('Soest');
    writeFileSync(file, 'not a place file');
    await places.look();
    expect(places.find('198.18.7.7').city).toBe('Soest');
    expect(places.list().files[0]!.trouble).toMatch(/can’t be read .* version before is still in use/);
    unlinkSync(file);
    await places.look();
    expect(places.list().files[0]!.trouble).toMatch(/is missing/);
    write(file, { '198.18.7.7': { city: 'Baarn' } });
    await places.look();
    expect(places.find('198.18.7.7')).toMatchObject({ city: 'Baarn', region: '' });
    expect(places.list().files[0]!.trouble).toBe('');
  });
  it('that hold other things than names tell nothing', async () => {
    write(file, {
      '198.18.7.7': { country: 'NLD', city: { names: { nl: 'Zeist' } }, isp: 7, region: ['x'] },
    });
    const places = await Places.open([file], '');
    expect(places.find('198.18.7.7')).toEqual({ country: '', region: '', city: '', isp: '', connection: '' });
  });
});

describe('a desk’s own list of bots', () => {
  let desk: SharedDesk;
  let chain: Chain;
  beforeAll(async () => {
    desk = await makeDesk();
    chain = await desk.chain();
  });
  afterAll(() => desk.close());
  const stored = async (headers: Record<string, string>): Promise<WholeVisit> => {
    const id = await chain.send('', headers);
    await until(async () => (await desk.owner.get(`/visits/${id}`)).status === 200, 'the visit');
    return (await desk.owner.get<WholeVisit>(`/visits/${id}`)).body;
  };
  const reason = (v: WholeVisit): string | undefined =>
    v.dimensions.find((d) => d.name === 'bot_reason')?.value;

  it('marks visits by user agent and by address from the next second on; they are sent on all the same', async () => {
    const list: BotList = { agents: ['GardenFetch'], addresses: ['198.18.44.0/24'] };
    const { status } = await desk.owner.put('/desk/bots', list);
    expect(status).toBe(200);
    expect((await desk.owner.get<BotList>('/desk/bots')).body).toEqual(list);
    await until(
      async () => (await stored({ 'User-Agent': `${PHONE} gardenfetch/2` })).isBot,
      'the list in use',
    );
    const byAgent = await stored({ 'User-Agent': `${PHONE} gardenfetch/2` });
    expect([byAgent.isBot, reason(byAgent)]).toEqual([true, 'listed_agent']);
    const byAddress = await stored({ 'User-Agent': PHONE, 'X-Forwarded-For': '198.18.44.9' });
    expect([byAddress.isBot, reason(byAddress)]).toEqual([true, 'listed_address']);
    const person = await stored({ 'User-Agent': PHONE, 'X-Forwarded-For': '198.18.45.9' });
    expect(person.isBot).toBe(false);
  });
  it('refuses what is no address, and words so short that people would be bots', async () => {
    const refused = await desk.owner.put<{ fields: { path: string }[] }>('/desk/bots', {
      agents: ['a'],
      addresses: ['192.0.2.0/99'],
    });
    expect(refused.status).toBe(422);
    expect(refused.body.fields.map((f) => f.path)).toEqual(['agents.0', 'addresses.0']);
    const viewer = await desk.member('viewer');
    expect((await viewer.put('/desk/bots', { agents: [], addresses: [] })).status).toBe(403);
  });
});
