/**
 * The numbers process: keeps the index of a data folder and answers questions, at low priority, so that no report slows a
 * visit. Ends when whoever started it ends; one that finds another at work says so and ends as well.
 */
import { mkdirSync } from 'node:fs';
import { parseConfig } from '../config/config.ts';
import { lowerPriority } from '../jobs/lowPriority.ts';
import { makeLogger } from './logger.ts';
import { openPool } from '../db/pools.ts';
import { KeptIndex } from '../numbers/keptIndex.ts';
import { startNightlyCheck } from '../numbers/nightlyCheck.ts';
import { NewsDesk } from '../stream/news.ts';
import { isServed, serveNumbers } from '../numbers/numbersService.ts';
import { indexOf, SERVED_ALREADY, socketOf } from '../numbers/numbersSocket.ts';

/** The feed and a few questions at a time. */
const CONNECTIONS = 4;

async function main(): Promise<void> {
  const config = parseConfig(process.env);
  // Whoever asks for a report can wait, a visitor can't.
  lowerPriority(config.numbersNice);
  // The index and the socket are this user's alone.
  process.umask(0o077);
  mkdirSync(config.dataFolder, { recursive: true });
  const socket = socketOf(config.dataFolder);
  if (await isServed(socket)) process.exit(SERVED_ALREADY);
  const primary = openPool(config.databaseUrl, 'numbers', CONNECTIONS);
  const replica =
    config.numbersDatabaseUrl === null ? null : openPool(config.numbersDatabaseUrl, 'numbers', CONNECTIONS);
  const pool = replica ?? primary;
  const log = makeLogger(config.logLevel);
  const news = new NewsDesk(primary);
  const kept = new KeptIndex({
    pool,
    ...(replica ? { primary } : {}),
    path: indexOf(config.dataFolder),
    visitDays: config.visitDays,
    onFed: (deskIds) => deskIds.forEach((id) => news.tell(id, 'numbers')),
    log,
  });
  const check = startNightlyCheck({ pool, open: () => kept.open, drop: () => kept.drop(), log });
  const server = await serveNumbers(kept, socket);
  const stop = (): void => {
    server.close();
    server.closeAllConnections();
    void check
      .close()
      .then(() => kept.close())
      .then(() => Promise.all([primary.end(), replica?.end()]))
      .finally(() => process.exit(0));
  };
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, stop);
  // Whoever started it holds the other end, and may be killed without a word.
  if (process.env.TRACHEON_ENDS_WITH_STDIN) process.stdin.once('end', stop).once('error', stop).resume();
  process.stdout.write('numbers listening\n');
}

main().catch((error: unknown) => {
  process.stderr.write(`The numbers process could not start: ${String(error)}\n`);
  process.exit(1);
});
