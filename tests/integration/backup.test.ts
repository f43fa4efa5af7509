/** The machine is lost; the backup brings all of it back onto another one. */
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, it } from '@jest/globals';
import type { ConversionRow, Page, VisitRow } from '@tracheon/core/contract';
import { ApiClient } from './apiClient.ts';
import { ChildProgram, freePort } from './childProgram.ts';
import { freshDatabase } from './freshDatabase.ts';
import { openOwnServer } from './ownServer.ts';
import { until } from './testDesk.ts';

const place = mkdtempSync(join(tmpdir(), 'tracheon-backup-'));
afterAll(() => rmSync(place, { recursive: true, force: true }));
const [old, fresh, kept] = ['old', 'fresh', 'kept'].map((n) => join(place, n)) as [string, string, string];

const run = (what: string, url: string, data: string, folder = kept) => {
  const { status, stdout, stderr } = spawnSync(process.execPath, ['scripts/backup.mjs', what, folder], {
    env: { PATH: process.env.PATH, HOME: process.env.HOME, DATABASE_URL: url, TRACHEON_DATA: data },
    encoding: 'utf8',
  });
  return { status, output: stdout + stderr };
};

it('database, spool, sealed days and keys are there again, also what was still waiting on disk', async () => {
  const desk = await openOwnServer({ TRACHEON_DATA: old }, { canBeCut: true });
  const chain = await desk.chain();
  writeFileSync(join(old, 'session-secret'), 'only for tests, and longer than thirty-two');
  mkdirSync(join(old, 'sealed', desk.deskId), { recursive: true });
  writeFileSync(join(old, 'sealed', desk.deskId, '2026-01-02.parquet'), 'visits of a day');
  const [seen, waiting] = [
    await chain.send('clk=in-the-database'),
    await (async () => {
      await desk.say(
        chain.network.key,
        `click_id=${await chain.send('clk=converted')}&payout=7&transaction=B-1&status=ok`,
      );
      await desk.database.relay.cut();
      const id = await chain.send('clk=in-the-spool');
      await desk.call(chain.network.key, `click_id=${id}&payout=8&transaction=B-2&status=ok`);
      return id;
    })(),
  ];
  const made = run('backup', desk.database.directUrl, old);
  expect(made).toEqual({ status: 0, output: expect.stringMatching(/^Backup of [\d.]+ MB/) });
  expect(readdirSync(kept).sort()).toEqual(['database.dump', 'keys', 'manifest.json', 'sealed', 'spool']);
  // Never over another one.
  expect(run('backup', desk.database.directUrl, old).status).toBe(1);
  // Nor onto a desk that is there.
  expect(run('restore', desk.database.directUrl, fresh).output).toContain('already has a desk');

  await desk.close();
  rmSync(old, { recursive: true, force: true });

  const database = await freshDatabase({ migrated: false });
  expect(run('restore', database.directUrl, fresh)).toEqual({
    status: 0,
    output: expect.stringContaining('Restored.'),
  });
  expect(readFileSync(join(fresh, 'sealed', desk.deskId, '2026-01-02.parquet'), 'utf8')).toBe(
    'visits of a day',
  );
  const deskPort = await freePort();
  const server = new ChildProgram(['server/dist/server.mjs'], {
    DATABASE_URL: database.url,
    TRACHEON_SECRET: readFileSync(join(fresh, 'session-secret'), 'utf8'),
    TRACHEON_DATA: fresh,
    TRACHEON_DESK_PORT: String(deskPort),
    TRACHEON_PARTNERS: 'off',
    TRACHEON_TRACKING_PORT: String(await freePort('127.0.0.2')),
    TRACHEON_LOG: 'silent',
  });
  await server.says(/listening/);
  const owner = new ApiClient(`http://127.0.0.1:${deskPort}`);
  expect((await owner.signIn('owner@desk.test', 'a password of twenty')).status).toBe(200);
  const conversions = async () => (await owner.get<Page<ConversionRow>>('/conversions')).body.rows;
  await until(async () => (await conversions()).length === 2, 'both conversions');
  expect((await conversions()).map((c) => [c.transaction, c.payoutMicros]).sort()).toEqual([
    ['B-1', '7000000'],
    ['B-2', '8000000'],
  ]);
  const visits = (await owner.get<Page<VisitRow>>('/visits')).body.rows.map((v) => v.id);
  expect(visits).toEqual(expect.arrayContaining([seen, waiting]));
  server.signal('SIGTERM');
  expect(await server.ended).toBe(0);
  await database.drop();
});

it('a backup that was altered, or is none, restores nothing and says so', async () => {
  const database = await freshDatabase({ migrated: false });
  const file = join(kept, 'database.dump');
  const whole = readFileSync(file);
  writeFileSync(file, whole.subarray(0, whole.length - 1));
  expect(run('restore', database.directUrl, fresh).output).toContain(
    'database.dump of this backup is missing or was changed',
  );
  expect(run('restore', database.directUrl, fresh, place).output).toContain('is not a backup');
  await database.drop();
});
