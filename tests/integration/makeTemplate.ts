/** Makes and migrates the database that all test databases are copied from, with the partitions around today. Once for a test run. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pino } from 'pino';
import { startServer } from '../../server/app/startServer.ts';
import { parseConfig } from '../../server/config/config.ts';
import { migrate } from '../../server/db/migrate.ts';
import { openSequelize } from '../../server/db/models.ts';
import { keepPartitions } from '../../server/db/partitions.ts';
import { openPool } from '../../server/db/pools.ts';
import { onServer, TEMPLATE } from './freshDatabase.ts';
import { SECRET, until } from './testDesk.ts';

/** At its first start the timetable makes a table for each kind of work, which takes about 30 ms each. */
async function startOnce(databaseUrl: string): Promise<void> {
  const dataFolder = mkdtempSync(join(tmpdir(), 'tracheon-template-'));
  const config = parseConfig({
    DATABASE_URL: databaseUrl,
    TRACHEON_DESK_PORT: '0',
    TRACHEON_TRACKING_PORT: '0',
    TRACHEON_PARTNERS_PORT: '0',
    TRACHEON_SECRET: SECRET,
    TRACHEON_DATA: dataFolder,
    TRACHEON_LOG: 'silent',
  });
  const running = await startServer(config, pino({ level: 'silent' }), 'web/dist');
  const pool = openPool(databaseUrl, 'template', 1);
  const hasBegun = async (): Promise<boolean> =>
    (await pool.query<{ any: boolean }>('SELECT EXISTS (SELECT FROM pgboss.schedule) AS any')).rows[0]!.any;
  await until(() => hasBegun().catch(() => false), 'the timetable to be made');
  // A stop waits for what it has begun: all of them are there then.
  await running.close();
  // Of its own secret.
  await pool.query('TRUNCATE salts');
  await pool.end();
  rmSync(dataFolder, { recursive: true, force: true });
}

await onServer(`DROP DATABASE IF EXISTS ${TEMPLATE} WITH (FORCE)`);
await onServer(`CREATE DATABASE ${TEMPLATE}`);
const url = new URL(process.env.TRACHEON_TEST_SERVER!);
url.pathname = `/${TEMPLATE}`;
const sequelize = openSequelize(url.toString());
await migrate(sequelize);
await sequelize.close();
const pool = openPool(url.toString(), 'template', 1);
await keepPartitions(pool, Date.now());
await pool.end();
await startOnce(url.toString());
