/**
 * Makes the database ready: migrations, and the first desk where there is none. Prints one JSON line: what was
 * made, and the owner's sign-in if a desk was made. Run before the server; harmless to run again.
 */
import { inspect } from 'node:util';
import { loadDemoDesk } from '@tracheon/demo/loadDemoDesk.ts';
import type { PracticeOrigins } from '@tracheon/demo/scenario.ts';
import { checkSignIn, makeFirstDesk } from '../accounts/accounts.ts';
import { migrate, MigrationFailed } from '../db/migrate.ts';
import { defineModels, type Models } from '../db/models.ts';
import { DatabaseUnreachable, waitForDatabase } from './waitForDatabase.ts';

const wantsDemo = process.argv.includes('--demo');

async function prepare(): Promise<void> {
  const url = process.env.DATABASE_URL ?? '';
  const sequelize = await waitForDatabase(url, patienceMs());
  const migrated = await migrate(sequelize);
  const models = defineModels(sequelize);
  const password = process.env.TRACHEON_OWNER_PASSWORD;
  const first = await makeFirstDesk(models, {
    ...(wantsDemo
      ? { name: 'Hobby kits, Ghent', zone: 'Europe/Brussels', isDemo: true }
      : { name: 'My desk', zone: Intl.DateTimeFormat().resolvedOptions().timeZone, isDemo: false }),
    currency: 'EUR',
    owner: {
      ...(wantsDemo
        ? { name: 'Mira Vandael', email: 'mira@desk.test' }
        : { name: 'Owner', email: 'owner@desk.test' }),
      ...(password ? { password } : {}),
    },
  });
  const demo =
    first && wantsDemo
      ? await loadDemoDesk(models, url, first.deskId, practiceFromEnvironment(), Date.now(), demoShare())
      : null;
  // Printed again at each start only as long as it opens the door.
  const firstStillGood = await isStillGood(models, process.env.TRACHEON_FIRST_SIGN_IN ?? '');
  await sequelize.close();
  process.stdout.write(`${JSON.stringify({ migrated, first, demo, firstStillGood })}\n`);
}

/** The same setting as the server's. */
function patienceMs(): number {
  const seconds = Number(process.env.TRACHEON_START_PATIENCE_SECONDS || '10');
  return Number.isFinite(seconds) ? seconds * 1000 : 10_000;
}

/** `text` is an e-mail address and a password, a line each. */
async function isStillGood(models: Models, text: string): Promise<boolean> {
  const [email, password] = text.split('\n');
  if (!email || !password) return false;
  return checkSignIn(models, email, password).then(
    () => true,
    () => false,
  );
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
  };
}

prepare().catch((error: unknown) => {
  const known = error instanceof MigrationFailed || error instanceof DatabaseUnreachable;
  process.stderr.write(
    known ? `${error.message}\n` : `The database could not be prepared: ${inspect(error)}\n`,
  );
  process.exit(78);
});
