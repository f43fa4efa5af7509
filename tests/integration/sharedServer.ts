/**
 * One running server for all test files that neither cut its database nor need settings of their own. Each file gets a
 * desk of its own on it, and reserves a port on loopback for the partners that it plays. Asked over HTTP:
 *   POST /desks    {owner: {email, password}}            a desk with its owner
 *   POST /members  {deskId, email, password, role}       a member
 */
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type IncomingMessage } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pino } from 'pino';
import { addMember, makeDesk } from '../../server/accounts/accounts.ts';
import { hashCheaply } from '../../server/accounts/passwords.ts';
import { startServer } from '../../server/app/startServer.ts';
import { parseConfig } from '../../server/config/config.ts';
import { openPool } from '../../server/db/pools.ts';
import { freePort } from './childProgram.ts';
import { freshDatabase } from './freshDatabase.ts';
import { SECRET, type SharedServer } from './testDesk.ts';
import { startIndex } from './testIndex.ts';

/** Hosts on which test files play sources and pages; each has one port of this run for each process of test files. */
const PARTNER_HOSTS = ['127.0.0.5', '127.0.0.8', '127.0.0.9'];
const LANES = 3;

hashCheaply();
/** They ask for the figures of each desk of a server every few minutes. Here are hundreds of desks, and files that test the looks have a server of their own. */
async function withoutLooksAtAllDesks(): Promise<void> {
  const pool = openPool(database.directUrl, 'test', 1);
  await pool.query(`
    DELETE FROM pgboss.schedule WHERE name IN ('look-for-signals', 'look-at-server');
    CREATE FUNCTION not_here() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NULL; END';
    CREATE TRIGGER not_here BEFORE INSERT ON pgboss.schedule FOR EACH ROW
    WHEN (NEW.name IN ('look-for-signals', 'look-at-server')) EXECUTE FUNCTION not_here()`);
  await pool.end();
}

const database = await freshDatabase();
const dataFolder = mkdtempSync(join(tmpdir(), 'tracheon-shared-'));
const partners: string[] = [];
// One after the other: a port that is free once may be found free twice.
for (const host of PARTNER_HOSTS)
  for (let lane = 0; lane < LANES; lane++) {
    const isTaken = (port: number): boolean => partners.includes(`${host}:${port}`);
    let port = await freePort(host);
    while (isTaken(port)) port = await freePort(host);
    partners.push(`${host}:${port}`);
  }
const config = parseConfig({
  DATABASE_URL: database.directUrl,
  TRACHEON_DESK_PORT: '0',
  TRACHEON_TRACKING_PORT: '0',
  TRACHEON_PARTNERS_PORT: '0',
  TRACHEON_SECRET: SECRET,
  TRACHEON_TRUSTED_PROXIES: '127.0.0.1',
  TRACHEON_ALLOW_OUTGOING: partners.join(','),
  TRACHEON_DATA: dataFolder,
  TRACHEON_LOG: 'silent',
  // A busy machine must not make a visit wait on disk.
  TRACHEON_VISITOR_PATIENCE_MS: '10000',
});
await withoutLooksAtAllDesks();
const running = await startServer(config, pino({ level: 'silent' }), 'web/dist');
const index = await startIndex(database.directUrl, dataFolder);
const shared: SharedServer = {
  desk: `http://127.0.0.1:${running.deskPort}`,
  tracking: `http://127.0.0.2:${running.trackingPort}`,
  partnerPage: `http://127.0.0.9:${running.partnersPort}`,
  databaseUrl: database.directUrl,
  partners,
};

const answers: Record<string, (body: never) => Promise<unknown>> = {
  'GET /': () => Promise.resolve(shared),
  'POST /desks': (owner: { name: string; email: string; password: string }) =>
    running.models.sequelize.transaction((transaction) =>
      makeDesk(
        running.models,
        { name: 'Hobby kits, Ghent', zone: 'Europe/Brussels', currency: 'EUR', isDemo: false, owner },
        transaction,
      ),
    ),
  'POST /members': ({ deskId, ...member }: { deskId: string } & Parameters<typeof addMember>[2]) =>
    addMember(running.models, deskId, member),
};
async function bodyOf(req: IncomingMessage): Promise<unknown> {
  let text = '';
  for await (const chunk of req) text += String(chunk);
  return text === '' ? {} : JSON.parse(text);
}
const control = createServer((req, res) => {
  const answer = answers[`${req.method} ${req.url}`];
  void bodyOf(req)
    .then((body) => (answer ? answer(body as never) : Promise.reject(new Error('no such thing'))))
    .then(
      (json) => res.end(JSON.stringify(json)),
      (error: Error) => res.writeHead(500).end(error.message),
    );
});
// A test that keeps its process busy finds its connection as it was left.
control.keepAliveTimeout = 15 * 60_000;
control.listen(0, '127.0.0.1', () =>
  process.stdout.write(`shared server at http://127.0.0.1:${(control.address() as AddressInfo).port}\n`),
);
process.on('SIGTERM', () => {
  control.close();
  control.closeAllConnections();
  void Promise.all([running.close(), index.close()])
    .then(() => database.drop())
    .then(() => {
      rmSync(dataFolder, { recursive: true, force: true });
      process.exit(0);
    });
});
