/** A whole server in this process, on free ports and a database of its own behind a relay that a test can cut. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pino } from 'pino';
import { addMember, makeFirstDesk } from '../../server/accounts/accounts.ts';
import { hashCheaply } from '../../server/accounts/passwords.ts';
import { startServer, type RunningServer } from '../../server/app/startServer.ts';
import { parseConfig, type Config } from '../../server/config/config.ts';
import { openPool } from '../../server/db/pools.ts';
import { ApiClient } from './apiClient.ts';
import { freshDatabase, type FreshDatabase } from './freshDatabase.ts';
import { SECRET } from './testDesk.ts';
import { deskAt, type TestDesk } from './testDesk.ts';
import { startIndex } from './testIndex.ts';

hashCheaply();
const OWNER = { email: 'owner@desk.test', password: 'a password of twenty' };

export interface OwnDesk extends TestDesk {
  running: RunningServer;
  database: FreshDatabase;
  config: Config;
}

/** Another desk of the same owner, whose session of its own is on it. */
export async function furtherDesk(desk: OwnDesk): Promise<TestDesk> {
  const owner = new ApiClient(`http://127.0.0.1:${desk.running.deskPort}`);
  await owner.signIn(OWNER.email, OWNER.password);
  const further = { name: 'Hobby kits, Ghent', zone: 'Europe/Brussels', currency: 'EUR' };
  const { status, body } = await owner.post<{ id: string }>('/desks', further);
  if (status !== 201) throw new Error(`no further desk: ${JSON.stringify(body)}`);
  const { ownerEmail, tracking, pool, isSteady, member } = desk;
  const close = (): Promise<void> => Promise.resolve();
  return deskAt({ owner, ownerEmail, deskId: body.id, tracking, pool, address: '', isSteady, member, close });
}

/**
 * `withNumbers`: the index that reports are answered from runs as well. `canBeCut`: it reaches its database by the relay,
 * which passes on each message once more.
 */
export async function openOwnServer(
  environment: Record<string, string> = {},
  { withNumbers = false, canBeCut = false, zone = 'Europe/Brussels' } = {},
): Promise<OwnDesk> {
  const database = await freshDatabase();
  const dataFolder = mkdtempSync(join(tmpdir(), 'tracheon-desk-'));
  const config = parseConfig({
    DATABASE_URL: canBeCut ? database.url : database.directUrl,
    TRACHEON_DESK_PORT: '0',
    TRACHEON_TRACKING_PORT: '0',
    TRACHEON_PARTNERS_PORT: '0',
    TRACHEON_SECRET: SECRET,
    TRACHEON_TRUSTED_PROXIES: '127.0.0.1',
    TRACHEON_DATA: dataFolder,
    TRACHEON_LOG: 'silent',
    // A busy machine must not make a visit wait on disk.
    TRACHEON_VISITOR_PATIENCE_MS: '10000',
    ...environment,
  });
  const running = await startServer(config, pino({ level: config.logLevel }), 'web/dist');
  const index = withNumbers ? await startIndex(database.directUrl, config.dataFolder) : null;
  const first = await makeFirstDesk(running.models, {
    name: 'Hobby kits, Ghent',
    zone,
    currency: 'EUR',
    isDemo: false,
    owner: { name: 'Owner', ...OWNER },
  });
  const deskOrigin = `http://127.0.0.1:${running.deskPort}`;
  const owner = new ApiClient(deskOrigin);
  await owner.signIn(OWNER.email, OWNER.password);
  // A connection takes long while other machines use this one's processor.
  const pool = openPool(database.directUrl, 'test', 3, undefined, { connectionTimeoutMillis: 60_000 });
  const desk = deskAt({
    owner,
    ownerEmail: OWNER.email,
    deskId: first!.deskId,
    tracking: `http://127.0.0.2:${running.trackingPort}`,
    pool,
    address: '',
    isSteady: () => database.relay.isOpen,
    member: async (role) => {
      const email = `${role}${Math.random()}@desk.test`;
      await addMember(running.models, first!.deskId, { name: role, email, role, password: OWNER.password });
      const client = new ApiClient(deskOrigin);
      await client.signIn(email, OWNER.password);
      return client;
    },
    close: async () => {
      await running.close();
      await index?.close();
      await pool.end();
      await database.drop();
      rmSync(dataFolder, { recursive: true, force: true });
    },
  });
  return { ...desk, running, database, config };
}
