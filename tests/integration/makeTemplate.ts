/** Makes and migrates the database that all test databases are copied from, with the partitions around today. Once for a test run. */
import { migrate } from '../../server/db/migrate.ts';
import { openSequelize } from '../../server/db/models.ts';
import { keepPartitions } from '../../server/db/partitions.ts';
import { openPool } from '../../server/db/pools.ts';
import { installTimetable } from '../../server/jobs/timetable.ts';
import { onServer, TEMPLATE } from './freshDatabase.ts';

await onServer(`DROP DATABASE IF EXISTS ${TEMPLATE} WITH (FORCE)`);
await onServer(`CREATE DATABASE ${TEMPLATE}`);
const url = new URL(process.env.TRACHEON_TEST_SERVER!);
url.pathname = `/${TEMPLATE}`;
const sequelize = openSequelize(url.toString());
await migrate(sequelize);
await sequelize.close();
const pool = openPool(url.toString(), 'template', 1);
await keepPartitions(pool, Date.now());
await installTimetable(pool);
await pool.end();
