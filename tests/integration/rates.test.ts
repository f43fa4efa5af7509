/** Exchange rates out of files and from outside: what waited for one is converted, and what can’t be read is said. */
import { createServer, type Server } from 'node:http';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { Attention, Problem, RateRow, RateSchedule, RatesLoaded } from '@tracheon/core/contract';
import { dailyRates } from '../../server/rates/ecbRates.ts';
import { freePort } from './childProgram.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import type { Chain } from './testDesk.ts';

const XML = `<?xml version="1.0" encoding="UTF-8"?><gesmes:Envelope><Cube><Cube time='2026-11-26'>
<Cube currency='USD' rate='1.25'/><Cube currency='DKK' rate='8'/></Cube></Cube></gesmes:Envelope>`;
let desk: OwnDesk;
let chain: Chain;
let bank: Server;
let answer = { status: 200, body: XML };
beforeAll(async () => {
  const port = await freePort('127.0.0.8');
  bank = createServer((_req, res) => res.writeHead(answer.status).end(answer.body));
  await new Promise<void>((ready) => bank.listen(port, '127.0.0.8', ready));
  desk = await openOwnServer({
    TRACHEON_RATES_URL: `http://127.0.0.8:${port}/rates.xml`,
    TRACHEON_ALLOW_OUTGOING: `127.0.0.8:${port}`,
  });
  chain = await desk.chain();
});
afterAll(async () => {
  await desk.close();
  bank.close();
});
const upload = async (text: string) =>
  (await desk.owner.upload<RatesLoaded & Problem>('/rates/file', Buffer.from(text))).body;
const rates = async () => (await desk.owner.get<RateRow[]>('/rates')).body;

describe('rates from a file', () => {
  it('convert what was waiting, and change nothing the second time', async () => {
    const click = await chain.send('clk=r1');
    await desk.say(chain.network.key, `click_id=${click}&payout=10&currency=JPY&transaction=r-1&status=ok`);
    const own = async () => (await desk.booked()).find((b) => b.clickId === click)!;
    expect((await own()).baseMicros).toBeNull();
    const csv = 'day;currency;rate\n2026-01-01;JPY;0,006\n2026-01-02;JPY;soon\n';
    expect(await upload(csv)).toMatchObject({
      rates: 1,
      currencies: ['JPY'],
      converted: 1,
      problems: [{ n: 2, why: expect.stringContaining('soon') }],
    });
    expect((await own()).baseMicros).toBe('60000');
    expect(await upload(csv)).toMatchObject({ rates: 0, currencies: [], converted: 0 });
  });
  it('may be the XML of the bank; what is neither is refused with the reason', async () => {
    expect(await upload(XML)).toMatchObject({ rates: 2, currencies: ['DKK', 'USD'], from: '2026-11-26' });
    expect(await rates()).toContainEqual({ base: 'USD', day: '2026-11-26', rate: '0.8' });
    expect((await upload('<html>no</html>')).detail).toContain('no rates to EUR');
    expect((await upload('a;b\n1;2\n')).detail).toContain('currency, day and rate');
    expect((await upload('')).code).toBe('unreadable_file');
  });
});

describe('rates from the bank', () => {
  it('are loaded by one press', async () => {
    answer = { status: 200, body: XML.replaceAll('1.25', '1.6') };
    const { body } = await desk.owner.post<RatesLoaded>('/rates/fetch', {});
    expect(body).toMatchObject({ rates: 1, currencies: ['USD'] });
    expect(await rates()).toContainEqual({ base: 'USD', day: '2026-11-26', rate: '0.625' });
  });
  it('that can’t be had are said to be so, and leave everything as it is', async () => {
    const before = await rates();
    for (const given of [
      { status: 500, body: XML },
      { status: 200, body: 'maintenance' },
    ]) {
      answer = given;
      const refused = await desk.owner.post<Problem>('/rates/fetch', {});
      expect([refused.status, refused.body.code]).toEqual([502, 'rates_unreachable']);
    }
    expect(await rates()).toEqual(before);
  });
  it('come every day where the desk wants it; a day that they don’t come is said on Today', async () => {
    const told: string[] = [];
    const job = dailyRates({
      pool: desk.pool,
      judge: () => Promise.reject(new Error('nothing waits for a rate')),
      config: desk.config,
      now: Date.now,
      tell: (deskId) => told.push(deskId),
    });
    const schedule = async () => (await desk.owner.get<RateSchedule>('/rates/schedule')).body;
    const late = async () =>
      (await desk.owner.get<Attention[]>('/attention')).body.filter((a) => a.code === 'rates_late').length;
    await job.run();
    expect([told, await schedule()]).toEqual([[], { isOn: false, failedAt: null }]);
    expect((await desk.owner.put('/rates/schedule', { isOn: true })).status).toBe(200);
    answer = { status: 200, body: XML.replaceAll('2026-11-26', '2026-11-27') };
    await job.run();
    expect([told, await schedule()]).toEqual([[desk.deskId], { isOn: true, failedAt: null }]);
    expect(await rates()).toContainEqual({ base: 'USD', day: '2026-11-27', rate: '0.8' });
    answer = { status: 503, body: '' };
    await job.run();
    const { failedAt } = await schedule();
    expect([failedAt === null, await late()]).toEqual([false, 1]);
    await job.run();
    expect((await schedule()).failedAt).toBe(failedAt);
    answer = { status: 200, body: XML };
    await job.run();
    expect([(await schedule()).failedAt, await late()]).toEqual([null, 0]);
  });
});

it('a rate can be deleted; one that is not there is not found', async () => {
  expect((await desk.owner.post('/rates/remove', { base: 'USD', day: '2026-11-26' })).status).toBe(200);
  expect((await desk.owner.post('/rates/remove', { base: 'USD', day: '2026-11-26' })).status).toBe(404);
});
