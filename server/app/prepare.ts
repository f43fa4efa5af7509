/**
 * Makes the database ready: migrations, and the first desk where there is none. Prints one JSON line: what was made, what
 * the practice partners of a demo desk are given, and the first sign-in as long as it is kept and good. Run before the
 * server; harmless to run again, and beside another run, which it waits for.
 */
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import pg from 'pg';
import { loadDemoDesk } from '@tracheon/demo/loadDemoDesk.ts';
import { PARTNER_PERSON } from '@tracheon/demo/makePartners.ts';
import type { PracticeOrigins } from '@tracheon/demo/scenario.ts';
import { checkSignIn, makeFirstDesk, type NewDesk, type SignIn } from '../accounts/accounts.ts';
import { inventPassword } from '../accounts/passwords.ts';
import { errorForLog } from './logger.ts';
import { migrate, MigrationFailed } from '../db/migrate.ts';
import { defineModels, type Models } from '../db/models.ts';
import { DatabaseUnreachable, waitForDatabase } from './waitForDatabase.ts';

const wantsDemo = process.argv.includes('--demo');

/** Any number; it only has to be the same in every process. A start that was killed may still be preparing. */
const PREPARE_LOCK = 7_482_190_018;

async function prepare(): Promise<void> {
  const url = process.env.DATABASE_URL ?? '';
  const sequelize = await waitForDatabase(url, patienceMs());
  const lock = new pg.Client({ connectionString: url, application_name: 'tracheon prepare' });
  await lock.connect();
  try {
    await lock.query('SELECT pg_advisory_lock($1)', [PREPARE_LOCK]);
    const migrated = await migrate(sequelize);
    const models = defineModels(sequelize);
    await removeHalfMadeDemo(lock);
    const first = await makeFirstDesk(models, firstDesk());
    const demo = wantsDemo ? await demoDesk(models, lock, url, first) : null;
    const signIn = await firstSignIn(models);
    const partner = demo && signIn ? PARTNER_PERSON.email : '';
    process.stdout.write(`${JSON.stringify({ migrated, first, demo, signIn, partner })}\n`);
  } finally {
    await sequelize.close();
    await lock.end();
  }
}

const owner = wantsDemo
  ? { name: 'Mira Vandael', email: 'mira@desk.test' }
  : { name: 'Owner', email: 'owner@desk.test' };

/** Fixed before the first desk is made, so that a start that is killed in the middle does not lose it. */
function firstPassword(): string | undefined {
  const { TRACHEON_OWNER_PASSWORD: given, TRACHEON_OWNER_PASSWORD_FILE: file } = process.env;
  if (given || !file) return given;
  if (!existsSync(file)) writeFileSync(file, inventPassword(), { mode: 0o600 });
  return readFileSync(file, 'utf8').trim();
}

function firstDesk(): NewDesk {
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  return {
    ...(wantsDemo
      ? { name: 'Hobby kits, Ghent', zone: 'Europe/Brussels', isDemo: true }
      : { name: 'My desk', zone, isDemo: false }),
    currency: 'EUR',
    owner: { ...owner, password: firstPassword },
  };
}

/** A demo desk that was not finished is nobody's yet: it begins again. */
async function removeHalfMadeDemo(client: pg.Client): Promise<void> {
  const { rows } = await client.query<{ isHalf: boolean | null }>(
    'SELECT bool_and(is_demo AND demo_made IS NULL) AS "isHalf" FROM desks',
  );
  if (rows[0]?.isHalf !== true) return;
  const tables = await client.query<{ name: string }>(
    `SELECT format('%I', c.relname) AS name FROM pg_class c
     WHERE c.relnamespace = 'public'::regnamespace AND c.relkind IN ('r', 'p') AND NOT c.relispartition
       AND c.relname NOT IN ('SequelizeMeta', 'configuration')`,
  );
  await client.query(`TRUNCATE ${tables.rows.map((t) => t.name).join(', ')} CASCADE`);
}

/** What the practice partners are given: now, or as it was when the desk was made. Null where the desk is no demo. */
async function demoDesk(
  models: Models,
  client: pg.Client,
  url: string,
  first: SignIn | null,
): Promise<unknown> {
  if (first) {
    const made = await loadDemoDesk(
      models,
      url,
      first.deskId,
      practiceFromEnvironment(),
      process.env.TRACHEON_SECRET ?? '',
      Date.now(),
      demoShare(),
      // The same password as the first one of the owner: a demo is for looking around.
      first.password,
    );
    await client.query('UPDATE desks SET demo_made = $2 WHERE id = $1', [first.deskId, JSON.stringify(made)]);
  }
  const { rows } = await client.query<{ made: { handedOver?: unknown } }>(
    'SELECT demo_made AS made FROM desks WHERE is_demo ORDER BY created_at, id LIMIT 1',
  );
  return rows[0]?.made.handedOver ? rows[0].made : null;
}

/** The first sign-in, as long as it opens the door and its password is still kept. */
async function firstSignIn(models: Models): Promise<{ email: string; password: string } | null> {
  const { TRACHEON_OWNER_PASSWORD: given, TRACHEON_OWNER_PASSWORD_FILE: file } = process.env;
  const password = given || (file && existsSync(file) ? readFileSync(file, 'utf8').trim() : '');
  if (!password) return null;
  return checkSignIn(models, owner.email, password).then(
    () => ({ email: owner.email, password }),
    () => null,
  );
}

/** The same setting as the server's. */
function patienceMs(): number {
  const seconds = Number(process.env.TRACHEON_START_PATIENCE_SECONDS || '10');
  return Number.isFinite(seconds) ? seconds * 1000 : 10_000;
}

/** Share of the demo desk's visits that is made; tests of the screens need fewer. */
function demoShare(): number {
  const share = Number(process.env.TRACHEON_DEMO_SHARE ?? '1');
  if (!(share > 0 && share <= 1))
    throw new DatabaseUnreachable('TRACHEON_DEMO_SHARE must be above 0 and at most 1.', false);
  return share;
}

/** Where the practice partners listen, so that the demo desk's links and postbacks really lead there. */
function practiceFromEnvironment(): PracticeOrigins {
  return {
    adNetwork: process.env.TRACHEON_PRACTICE_AD_NETWORK ?? 'http://127.0.0.3:7402',
    popNetwork: process.env.TRACHEON_PRACTICE_POP_NETWORK ?? 'http://127.0.0.6:7405',
    affiliate: process.env.TRACHEON_PRACTICE_AFFILIATE ?? 'http://127.0.0.4:7403',
    pages: process.env.TRACHEON_PRACTICE_PAGES ?? 'http://127.0.0.5:7404',
    // Only where it really runs: what it would tell is fetched, not made up here.
    feed: process.env.TRACHEON_PRACTICE_FEED || null,
  };
}

prepare().catch((error: unknown) => {
  const known = error instanceof MigrationFailed || error instanceof DatabaseUnreachable;
  process.stderr.write(
    known
      ? `${error.message}\n`
      : `The database could not be prepared: ${JSON.stringify(errorForLog(error))}\n`,
  );
  process.exit(78);
});
