/** Which configuration servers answer from: a desk's own version, told by every process, and what keeps one from loading. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { pino } from 'pino';
import type { Attention, RunningConfiguration } from '@tracheon/core/contract';
import { startServer, type RunningServer } from '../../server/app/startServer.ts';
import { parseConfig } from '../../server/config/config.ts';
import { readGround } from '../../server/snapshot/keptGround.ts';
import { ApiClient } from './apiClient.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { SECRET, until } from './testDesk.ts';

let desk: OwnDesk;
let second: RunningServer;
const folder = mkdtempSync(join(tmpdir(), 'tracheon-second-'));

beforeAll(async () => {
  desk = await openOwnServer();
  second = await startServer(
    parseConfig({
      DATABASE_URL: desk.database.directUrl,
      TRACHEON_DESK_PORT: '0',
      TRACHEON_PARTNERS: 'off',
      TRACHEON_TRACKING_PORT: '0',
      TRACHEON_SECRET: SECRET,
      TRACHEON_DATA: folder,
      TRACHEON_LOG: 'silent',
    }),
    pino({ level: 'silent' }),
    'web/dist',
  );
});
afterAll(async () => {
  await second.close();
  await desk.close();
  rmSync(folder, { recursive: true, force: true });
});

const configuration = async (client: ApiClient = desk.owner): Promise<RunningConfiguration> =>
  (await client.get<RunningConfiguration>('/configuration')).body;
/** Asks until there is something. */
async function found<T>(what: string, ask: () => Promise<T | null>): Promise<T> {
  let answer: T | null = null;
  await until(async () => (answer = await ask()) !== null, what);
  return answer!;
}
/** Waits until every server has this very version. */
const live = (version: number): Promise<RunningConfiguration> =>
  found(`version ${version} everywhere`, async () => {
    const now = await configuration();
    return now.isLive && now.version === version ? now : null;
  });

it('every save raises the version of its own desk only, and both servers tell that they have it', async () => {
  const before = await configuration();
  const other = new ApiClient(`http://127.0.0.1:${desk.running.deskPort}`);
  await other.signIn(desk.ownerEmail, 'a password of twenty');
  await other.post('/desks', { name: 'Candle sets', zone: 'UTC', currency: 'USD' });
  const apart = await configuration(other);
  expect(apart.version).toBe(1);
  const { campaign } = await desk.chain();
  const after = await configuration();
  expect(after.version).toBeGreaterThan(before.version);
  const { servers } = await live(after.version);
  expect(servers).toHaveLength(2);
  expect(new Set(servers.map((s) => s.name)).size).toBe(2);
  expect((await configuration(other)).version).toBe(1);
  // The second server sends visitors by what was saved on the first.
  const answer = await fetch(`http://127.0.0.2:${second.trackingPort}/v/${campaign.key}`, {
    redirect: 'manual',
  });
  expect([answer.status, answer.headers.get('location')?.startsWith('https://')]).toEqual([302, true]);
  // Each desk is kept on disk by itself.
  const kept = await found('both desks on disk', async () => {
    const ground = await readGround(folder);
    return ground?.desks.some((d) => d.version === after.version) ? ground : null;
  });
  expect(kept.desks).toHaveLength(2);
});

it('a desk that cannot be loaded goes on as it was, is told as what it is, and recovers', async () => {
  const { campaign, offer } = await desk.chain({ offer: { link: 'https://first.example/' } });
  const place = async (): Promise<string> =>
    new URL((await desk.visit(`/v/${campaign.key}`)).headers.get('location')!).host;
  await live((await configuration()).version);
  // As if a migration had gone wrong.
  await desk.pool.query('ALTER TABLE old_keys RENAME COLUMN valid_until TO valid_til');
  const changed = { version: offer.version, body: { ...offer.body, link: 'https://second.example/' } };
  expect((await desk.owner.put(`/parts/offer/${offer.id}`, changed)).status).toBe(200);
  const told = await found('the reason', async () => {
    const { servers, isLive } = await configuration();
    return !isLive && servers.every((s) => s.trouble.includes('valid_until')) ? servers : null;
  });
  expect(told).toHaveLength(2);
  expect(await place()).toBe('first.example');
  await desk.pool.query(`UPDATE configurations SET changed_at = now() - interval '1 minute'`);
  const { body } = await desk.owner.get<Attention[]>('/attention');
  expect(body.find((a) => a.code === 'servers_behind')).toMatchObject({
    count: 2,
    sentence: expect.stringContaining('valid_until'),
  });
  await desk.pool.query('ALTER TABLE old_keys RENAME COLUMN valid_til TO valid_until');
  const { servers } = await live((await configuration()).version);
  expect(servers.map((s) => s.trouble)).toEqual(['', '']);
  expect(await place()).toBe('second.example');
});

it('a server that has ended is not waited for', async () => {
  const { version } = await live((await configuration()).version);
  const third = await startServer(
    parseConfig({
      DATABASE_URL: desk.database.directUrl,
      TRACHEON_DESK_PORT: '0',
      TRACHEON_PARTNERS: 'off',
      TRACHEON_TRACKING_PORT: '0',
      TRACHEON_SECRET: SECRET,
      TRACHEON_DATA: mkdtempSync(join(folder, 'third-')),
      TRACHEON_LOG: 'silent',
    }),
    pino({ level: 'silent' }),
    'web/dist',
  );
  await third.close();
  expect((await live(version)).servers.length).toBeLessThanOrEqual(2);
});
