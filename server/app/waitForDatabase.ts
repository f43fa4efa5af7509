/** Waits a little for a database that is just starting; says plainly when there is none. */
import type { Sequelize } from 'sequelize';
import { migrate } from '../db/migrate.ts';
import { openSequelize } from '../db/models.ts';

const PAUSE_MS = 300;

export class DatabaseUnreachable extends Error {
  constructor(
    message: string,
    /** False where no waiting helps: a wrong password, a database that is not there, an address that is none. */
    readonly mayPass: boolean,
  ) {
    super(message);
  }
}

export async function waitForDatabase(url: string, patienceMs: number): Promise<Sequelize> {
  if (!/^postgres(ql)?:\/\//.test(url))
    throw new DatabaseUnreachable('DATABASE_URL must be a postgres:// address.', false);
  const sequelize = openSequelize(url);
  const end = Date.now() + patienceMs;
  for (;;) {
    try {
      await sequelize.authenticate();
      return sequelize;
    } catch (error) {
      const why = error instanceof Error ? error.message || error.name : String(error);
      // A wrong password or database does not become right by waiting.
      const isWrong = /authentication failed|does not exist/i.test(why);
      if (Date.now() > end || isWrong) {
        await sequelize.close();
        const { host, pathname } = new URL(url);
        throw new DatabaseUnreachable(
          `The database ${pathname.slice(1)} at ${host} can't be reached: ${why}.`,
          !isWrong,
        );
      }
      await new Promise((resolve) => setTimeout(resolve, PAUSE_MS));
    }
  }
}

/** Reachable and brought up to date; rejects with DatabaseUnreachable or MigrationFailed. */
export async function readyDatabase(url: string, patienceMs: number): Promise<void> {
  const sequelize = await waitForDatabase(url, patienceMs);
  await migrate(sequelize).finally(() => sequelize.close());
}
