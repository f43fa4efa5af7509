/** The program started while the database is away, from the configuration on disk; and what it refuses to start from. */
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, expect, it } from '@jest/globals';
import { ChildProgram, freePort } from './childProgram.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { PHONE, until, type Chain } from './testDesk.ts';

let desk: OwnDesk;
let chain: Chain;
let settings: Record<string, string>;
const folder = mkdtempSync(join(tmpdir(), 'tracheon-start-'));
let ground: string;
beforeAll(async () => {
  desk = await openOwnServer({ TRACHEON_DATA: folder, TRACHEON_VISITOR_PATIENCE_MS: '' }, { canBeCut: true });
  chain = await desk.chain();
  ground = join(folder, 'ground', `desk-${desk.deskId}.snapshot`);
  settings = {
    DATABASE_URL: desk.database.url,
    TRACHEON_SECRET: 'only for tests, and longer than thirty-two',
    TRACHEON_DATA: folder,
    TRACHEON_DESK_PORT: String(await freePort()),
    TRACHEON_PARTNERS: 'off',
    TRACHEON_TRACKING_PORT: String(await freePort('127.0.0.2')),
    TRACHEON_LOG: 'silent',
    TRACHEON_NUMBERS: 'off',
    TRACHEON_START_PATIENCE_SECONDS: '1',
  };
});
afterAll(async () => {
  await desk.close();
  rmSync(folder, { recursive: true, force: true });
});
let started: ChildProgram | null = null;
const start = (): ChildProgram => (started = new ChildProgram(['server/dist/server.mjs'], settings));
// A test that failed must not leave the port taken for the next.
afterEach(async () => {
  if (started?.running) started.signal('SIGKILL');
  await started?.ended;
});

it('answers visits and postbacks in at once, says that the desk must wait, and books all when the database is there', async () => {
  const capped = await desk.chain({ offer: { visitCapCount: 50, fallbackUrl: 'https://full.example/' } });
  await until(
    async () =>
      existsSync(ground) &&
      [chain, capped].every((c) => readFileSync(ground, 'utf8').includes(c.campaign.key)),
    'the file',
  );
  await desk.database.relay.cut();
  const server = start();
  await server.says(/listening/);
  const tracking = `http://127.0.0.2:${settings.TRACHEON_TRACKING_PORT}`;
  const res = await fetch(`${tracking}/v/${chain.campaign.key}?clk=early&bid=0.02`, {
    redirect: 'manual',
    headers: { 'User-Agent': PHONE },
  });
  expect(res.status).toBe(302);
  // How many visits its cap still allows is not known without the database.
  const leadsTo = async (): Promise<string | null> =>
    (await fetch(`${tracking}/v/${capped.campaign.key}`, { redirect: 'manual', method: 'HEAD' })).headers.get(
      'location',
    );
  expect(await leadsTo()).toBe('https://full.example/');
  const id = new URL(res.headers.get('location')!).searchParams.get('aff_ref')!;
  const call = await fetch(
    `${tracking}/in/${chain.network.key}?click_id=${id}&payout=9&transaction=E1&status=ok`,
  );
  expect([call.status, await call.json()]).toEqual([200, expect.objectContaining({ outcome: 'queued' })]);
  const api = `http://127.0.0.1:${settings.TRACHEON_DESK_PORT}/api`;
  const waiting = await fetch(`${api}/parts`);
  expect([waiting.status, await waiting.json()]).toEqual([
    503,
    expect.objectContaining({ code: 'database_away' }),
  ]);

  await desk.database.relay.open();
  await until(async () => (await fetch(`${api}/parts`)).status === 401, 'the desk to be open');
  await until(async () => (await desk.booked()).some((c) => c.clickId === id), 'the conversion');
  await until(async () => (await leadsTo())?.includes('/4471?') === true, 'the capped offer to be open');
  const visit = (await desk.visits()).find((v) => v.id === id)!;
  expect(visit).toMatchObject({ sourceClickId: 'early', costMicros: '20000' });
  // A change is live again, so the configuration is no longer the one from the disk.
  await desk.owner.put(`/parts/campaign/${chain.campaign.id}/state`, { state: 'paused' });
  await until(
    async () => (await fetch(`${tracking}/v/${chain.campaign.key}`, { redirect: 'manual' })).status === 404,
    'the stop to be live',
  );
  server.signal('SIGTERM');
  expect(await server.ended).toBe(0);
});

it('ended before the database was ever there, it ends in order, and what it kept is loaded by the next', async () => {
  await desk.owner.put(`/parts/campaign/${chain.campaign.id}/state`, { state: 'live' });
  await until(async () => {
    const answered = await desk.visit(`/v/${chain.campaign.key}?clk=probe`);
    return answered.status === 302 && readFileSync(ground, 'utf8').includes('"state":"live"');
  }, 'the campaign to be live');
  await desk.database.relay.cut();
  const server = start();
  await server.says(/listening/);
  const res = await fetch(
    `http://127.0.0.2:${settings.TRACHEON_TRACKING_PORT}/v/${chain.campaign.key}?clk=kept-over`,
    { redirect: 'manual' },
  );
  expect(res.status).toBe(302);
  server.signal('SIGTERM');
  expect(await server.ended).toBe(0);
  await desk.database.relay.open();
  await until(
    async () => (await desk.visits().catch(() => [])).some((v) => v.sourceClickId === 'kept-over'),
    'the visit',
  );
});

it('without a configuration on disk, or with one that is torn, it says that the database cannot be reached', async () => {
  await desk.database.relay.cut();
  writeFileSync(ground, readFileSync(ground, 'utf8').slice(0, -9));
  const server = start();
  expect(await server.ended).toBe(78);
  expect(server.output).toMatch(/can't be reached/);
  await desk.database.relay.open();
});
