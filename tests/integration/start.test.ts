/** npm start as a person lives it: the first start, the second, Ctrl-C, and everything that can be in the way. */
import { chmodSync, existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { createServer, type Server } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import pg from 'pg';
import { ApiClient } from './apiClient.ts';
import { ChildProgram, freePort } from './childProgram.ts';
import { until } from './testDesk.ts';
import { freshDatabase, type FreshDatabase } from './freshDatabase.ts';

let folder: string;
let ports: Record<string, string>;
let database: FreshDatabase;
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'tracheon-start-'));
  chmodSync(folder, 0o711);
  database = await freshDatabase({ migrated: false });
  ports = {
    TRACHEON_DESK_PORT: String(await freePort()),
    TRACHEON_PARTNERS: 'off',
    TRACHEON_TRACKING_PORT: String(await freePort('127.0.0.2')),
  };
});
const started: ChildProgram[] = [];
// One whose test failed before its end would be in the way of the next.
afterEach(async () => {
  for (const program of started.splice(0)) {
    program.signal('SIGINT');
    await program.ended;
  }
});
afterAll(async () => {
  await database.drop();
  rmSync(folder, { recursive: true, force: true });
});

function start(more: Record<string, string | undefined> = {}, ...options: string[]): ChildProgram {
  const program = new ChildProgram(['scripts/start.mjs', '--empty', ...options], {
    TRACHEON_DATA: join(folder, 'data'),
    DATABASE_URL: database.url,
    ...ports,
    TRACHEON_START_PATIENCE_SECONDS: '2',
    ...more,
  });
  started.push(program);
  return program;
}
const READY = /Sign in as (\S+) with (\S+)/;

describe('npm start -- --empty', () => {
  it('prints where things are and the first sign-in; Ctrl-C ends all of it; the second start keeps the data', async () => {
    const first = start();
    const [, email, password] = await first.says(READY);
    expect(first.output).toMatch(new RegExp(`Desk +http://127.0.0.1:${ports.TRACHEON_DESK_PORT}\n`));
    expect(first.output).not.toContain('Practice');
    const api = new ApiClient(`http://127.0.0.1:${ports.TRACHEON_DESK_PORT}`);
    expect((await api.signIn(email!, password!)).status).toBe(200);
    await api.post('/parts/event-type', { name: 'Sign-up', word: 'signup' });
    expect(await fetch(`http://127.0.0.1:${ports.TRACHEON_DESK_PORT}/`).then((r) => r.text())).toContain(
      '<div id="app">',
    );
    // The secret of the session cookies is for this user alone.
    first.signal('SIGINT');
    expect(await first.ended).toBe(0);
    await expect(fetch(`http://127.0.0.1:${ports.TRACHEON_DESK_PORT}/`)).rejects.toThrow();

    const second = start();
    // Used once, the first password is kept nowhere.
    await second.says(/Sign in with the password that you chose/);
    for (const name of ['owner-password', 'first-sign-in.txt'])
      expect(existsSync(join(folder, 'data', name))).toBe(false);
    // Still signed in, and the record is there.
    expect(
      (await api.get<{ body: { name: string } }[]>('/parts/event-type')).body.map((p) => p.body.name),
    ).toEqual(['Sale', 'Sign-up']);
    const third = start();
    expect(await third.ended).not.toBe(0);
    expect(third.output).toMatch(/Tracheon is already running from this data folder \(process \d+\)/);
    expect(second.running).toBe(true);
    second.signal('SIGTERM');
    expect(await second.ended).toBe(0);
  });

  it('without DATABASE_URL starts a private database in the data folder, and stops it again', async () => {
    const run = start({ DATABASE_URL: undefined, TRACHEON_DATA: join(folder, 'own') });
    await run.says(READY);
    const port = Number(
      readFileSync(join(folder, 'own/postgresql/cluster/postmaster.pid'), 'utf8').split('\n')[3],
    );
    const reach = () =>
      new pg.Client({
        host: '127.0.0.1',
        port,
        user: 'tracheon',
        password: 'wrong',
        database: 'tracheon',
      }).connect();
    await expect(reach()).rejects.toThrow(/password authentication failed/);
    run.signal('SIGINT');
    expect(await run.ended).toBe(0);
    await expect(reach()).rejects.toThrow(/ECONNREFUSED/);
  });
});

describe('a first start that is killed', () => {
  it('at any moment is finished, or begun again, by the next one: the same sign-in, the demo desk whole, nobody in the way', async () => {
    const own = join(folder, 'killed');
    const more: Record<string, string> = {};
    for (const [n, name] of ['AD_NETWORK', 'AFFILIATE', 'PAGES', 'POP_NETWORK', 'FEED'].entries()) {
      more[`TRACHEON_PRACTICE_${name}_PORT`] = String(await freePort(`127.0.0.${[3, 4, 5, 6, 7][n]}`));
    }
    const begin = () => {
      const program = new ChildProgram(['scripts/start.mjs'], {
        ...ports,
        ...more,
        TRACHEON_DATA: own,
        TRACHEON_DEMO_SHARE: '0.02',
      });
      started.push(program);
      return program;
    };
    const moments = ['postgresql/password', 'owner-password', 'first-sign-in.txt'];
    for (const moment of moments) {
      const killed = begin();
      // It migrates and builds first, on a machine that may be busy.
      await until(() => Promise.resolve(existsSync(join(own, moment)) || !killed.running), moment, 180_000);
      expect([killed.output, killed.running]).toEqual([expect.any(String), true]);
      killed.signal('SIGKILL');
      await killed.ended;
    }
    const last = begin();
    const [, email, password] = await last.says(READY);
    expect(readFileSync(join(own, 'owner-password'), 'utf8').trim()).toBe(password);
    const api = new ApiClient(`http://127.0.0.1:${ports.TRACHEON_DESK_PORT}`);
    expect((await api.signIn(email!, password!)).status).toBe(200);
    const campaigns = (await api.get<{ state: string }[]>('/parts/campaign')).body;
    expect(campaigns.length).toBeGreaterThan(3);
    expect(existsSync(join(own, 'practice/pages.json'))).toBe(true);
    const { rows } = await ownDatabase(
      own,
      'SELECT count(*)::int AS desks, bool_and(demo_made IS NOT NULL) AS made FROM desks',
    );
    expect(rows).toEqual([{ desks: 1, made: true }]);
    last.signal('SIGINT');
    expect(await last.ended).toBe(0);
  }, 600_000);
});

async function ownDatabase(own: string, sql: string): Promise<pg.QueryResult> {
  const home = join(own, 'postgresql');
  const port = readFileSync(join(home, 'cluster/postmaster.pid'), 'utf8').split('\n')[3];
  const client = new pg.Client({
    connectionString: `postgres://tracheon:${readFileSync(join(home, 'password'), 'utf8')}@127.0.0.1:${port}/tracheon`,
  });
  await client.connect();
  return client.query(sql).finally(() => client.end());
}

describe('what is in the way is said in a sentence, without a stack', () => {
  const refused = async (run: ChildProgram): Promise<string> => {
    expect(await run.ended).not.toBe(0);
    expect(run.output).not.toMatch(/\n\s+at |node:internal/);
    return run.output;
  };
  it('a port that is taken', async () => {
    const port = await freePort();
    const taken: Server = createServer();
    await new Promise<void>((resolve) => taken.listen(port, '127.0.0.1', resolve));
    const said = await refused(start({ TRACHEON_DESK_PORT: String(port) }));
    expect(said).toContain(
      `127.0.0.1:${port} is used by another program. Stop it, or set TRACHEON_DESK_PORT to a free port.`,
    );
    taken.close();
  });
  it('a port that is none, a host that is not here', async () => {
    expect(await refused(start({ TRACHEON_DESK_PORT: 'eighty' }))).toContain(
      'TRACHEON_DESK_PORT is not a port number.',
    );
    expect(await refused(start({ TRACHEON_TRACKING_HOST: '203.0.113.7' }))).toMatch(
      /Tracheon can't listen on 203\.0\.113\.7/,
    );
  });
  it('a desk on the same host as the tracking links', async () => {
    expect(await refused(start({ TRACHEON_TRACKING_HOST: '127.0.0.1' }))).toContain('Cookies ignore ports');
  });
  it('a database that cannot be reached, or refuses', async () => {
    const nobody = `postgres://u:p@127.0.0.1:${await freePort()}/d`;
    expect(await refused(start({ DATABASE_URL: nobody }))).toMatch(
      /The database d at 127\.0\.0\.1:\d+ can't be reached: .*ECONNREFUSED/,
    );
    const wrong = new URL(database.directUrl);
    wrong.password = 'wrong';
    const said = await refused(start({ DATABASE_URL: wrong.toString() }));
    expect(said).toMatch(/can't be reached: password authentication failed/);
    expect(said).not.toContain('wrong');
    expect(await refused(start({ DATABASE_URL: 'mysql://x/y' }))).toMatch(/DATABASE_URL must be a postgres/);
  });
  it('a migration that fails', async () => {
    const other = await freshDatabase({ migrated: false });
    const client = new pg.Client({ connectionString: other.directUrl });
    await client.connect();
    await client.query('CREATE TABLE visits (x int)');
    await client.end();
    const said = await refused(start({ DATABASE_URL: other.url }));
    expect(said).toMatch(/could not be migrated: 0001-ground failed .*No change was kept/);
    await other.drop();
  });
});
