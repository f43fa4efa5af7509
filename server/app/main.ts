/** The only place that reads the environment, wires and listens. Ends with one sentence, not a stack, when it cannot start. */
import { pino } from 'pino';
import { ConfigError, parseConfig } from '../config/config.ts';
import { migrate, MigrationFailed } from '../db/migrate.ts';
import { PortTaken, startServer, type RunningServer } from './startServer.ts';
import { waitForDatabase, DatabaseUnreachable } from './waitForDatabase.ts';

const EXIT_CANNOT_START = 78;

async function main(): Promise<void> {
  const config = parseConfig(process.env);
  const log = pino({ level: config.logLevel });
  const sequelize = await waitForDatabase(config.databaseUrl);
  await migrate(sequelize);
  await sequelize.close();
  const running = await startServer(config, log, process.env.TRACHEON_WEB ?? 'web/dist');
  stopOnSignals(running);
  // Read by whoever started the process; one line, so that it needs no parser.
  process.stdout.write(`listening desk=${running.deskPort} tracking=${running.trackingPort}\n`);
}

function stopOnSignals(running: RunningServer): void {
  for (const signal of ['SIGINT', 'SIGTERM'] as const)
    process.on(signal, () => {
      void running.close().then(() => process.exit(0));
    });
}

main().catch((error: unknown) => {
  const known = [ConfigError, PortTaken, MigrationFailed, DatabaseUnreachable].some(
    (type) => error instanceof type,
  );
  process.stderr.write(
    known
      ? `${(error as Error).message}\n`
      : `Tracheon could not start: ${(error as Error).stack ?? String(error)}\n`,
  );
  process.exit(EXIT_CANNOT_START);
});
