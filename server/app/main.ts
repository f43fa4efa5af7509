/** The only place that reads the environment, wires and listens. Ends with one sentence, not a stack, when it cannot start. */
import cluster from 'node:cluster';
import { setFlagsFromString } from 'node:v8';
import type { Logger } from 'pino';
import { ConfigError, parseConfig, type Config } from '../config/config.ts';
import { MigrationFailed } from '../db/migrate.ts';
import { errorForLog, makeLogger } from './logger.ts';
import { readGround, type KeptGround } from '../snapshot/keptGround.ts';
import { startNumbersProcess } from '../numbers/numbersProcess.ts';
import { sayListening, startProcesses } from './processes.ts';
import { PortTaken, startServer } from './startServer.ts';
import { readyDatabase, DatabaseUnreachable } from './waitForDatabase.ts';

const EXIT_CANNOT_START = 78;
/** With a configuration on disk, visitors must not wait for the database: it is asked once, in short. */
const SHORT_PATIENCE_MS = 1000;

/**
 * On a machine with much memory V8 lets garbage pile up before it looks at the whole heap again. Twice what was in use: a day
 * of a feed took 350 MB where this takes 250, at the same rate. Less than that would cost visits their p99.
 */
const HEAP_GROWING_PERCENT = 100;

async function main(): Promise<void> {
  const config = parseConfig(process.env);
  const log = makeLogger(config.logLevel);
  const isOneOfSeveral = cluster.isWorker;
  const running =
    config.processes > 1 && !isOneOfSeveral
      ? await startProcesses(config.processes, log)
      : await startOne(config, log);
  const numbers = config.hasNumbers && !isOneOfSeveral ? startNumbersProcess(log) : null;
  stopOnSignals({ close: () => Promise.all([running.close(), numbers?.close()]) });
  // Not before: what V8 keeps of the program's compiled form holds for the flags that it was started with.
  setFlagsFromString(`--heap-growing-percent=${HEAP_GROWING_PERCENT}`);
  sayListening(running.listening);
}

async function startOne(
  config: Config,
  log: Logger,
): Promise<{ listening: string; close: () => Promise<void> }> {
  const kept = await databaseOrKept(config, log);
  const running = await startServer(config, log, process.env.TRACHEON_WEB ?? 'web/dist', kept);
  const partners = running.partnersPort === null ? '' : ` partners=${running.partnersPort}`;
  return {
    listening: `listening desk=${running.deskPort} tracking=${running.trackingPort}${partners}`,
    close: running.close,
  };
}

/** null once the database is ready; else what to start from while it is away. */
async function databaseOrKept(config: Config, log: Logger): Promise<KeptGround | null> {
  const kept = await readGround(config.dataFolder);
  try {
    await readyDatabase(
      config.databaseUrl,
      kept ? Math.min(SHORT_PATIENCE_MS, config.startPatienceMs) : config.startPatienceMs,
    );
    return null;
  } catch (error) {
    if (!kept || !(error instanceof DatabaseUnreachable) || !error.mayPass) throw error;
    log.error({ why: error.message }, 'starting without the database, from the configuration on disk');
    return kept;
  }
}

function stopOnSignals(running: { close: () => Promise<unknown> }): void {
  for (const signal of ['SIGINT', 'SIGTERM'] as const)
    process.on(signal, () => {
      void running.close().then(() => process.exit(0));
    });
  // Whoever started it holds the other end, and may be killed without a word.
  if (process.env.TRACHEON_ENDS_WITH_STDIN) {
    process.stdin.on('end', () => void running.close().then(() => process.exit(0)));
    process.stdin.on('error', () => undefined).resume();
  }
}

main().catch((error: unknown) => {
  const known = [ConfigError, PortTaken, MigrationFailed, DatabaseUnreachable].some(
    (type) => error instanceof type,
  );
  process.stderr.write(
    known
      ? `${(error as Error).message}\n`
      : `Tracheon could not start: ${JSON.stringify(errorForLog(error))}\n`,
  );
  process.exit(EXIT_CANNOT_START);
});
