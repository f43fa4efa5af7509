/** Waits a little for a database that is just starting; says plainly when there is none. */
import type { Sequelize } from 'sequelize';
import { openSequelize } from '../db/models.ts';

const PATIENCE_MS = 10_000;
const PAUSE_MS = 300;

export class DatabaseUnreachable extends Error {}

export async function waitForDatabase(url: string): Promise<Sequelize> {
  if (!/^postgres(ql)?:\/\//.test(url))
    throw new DatabaseUnreachable('DATABASE_URL must be a postgres:// address.');
  const sequelize = openSequelize(url);
  const end = Date.now() + PATIENCE_MS;
  for (;;) {
    try {
      await sequelize.authenticate();
      return sequelize;
    } catch (error) {
      const why = error instanceof Error ? error.message || error.name : String(error);
      // A wrong password or database does not become right by waiting.
      if (Date.now() > end || /authentication failed|does not exist/i.test(why)) {
        await sequelize.close();
        const { host, pathname } = new URL(url);
        throw new DatabaseUnreachable(
          `The database ${pathname.slice(1)} at ${host} cannot be reached: ${why}.`,
        );
      }
      await new Promise((resolve) => setTimeout(resolve, PAUSE_MS));
    }
  }
}
