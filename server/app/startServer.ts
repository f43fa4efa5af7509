/**
 * Starts both listeners and the jobs. `close` is the orderly end: no new connections, what is under way is answered,
 * the writers drain, then the pools close.
 */
import { createServer } from 'node:http';
import type { Logger } from 'pino';
import { makeCaller } from '../callsout/outgoing.ts';
import type { Config } from '../config/config.ts';
import { defineModels, openSequelize, type Models } from '../db/models.ts';
import { buildDeskApp } from './buildDeskApp.ts';
import { closeServer, listen, withPorts } from './listening.ts';
import { answerUnreadable, buildTrackingServer } from './trackingListener.ts';
import { openWorkings, startJobs, wireCapture, wireIntake, type Workings } from './wiring.ts';

export { PortTaken } from './listening.ts';

export interface RunningServer {
  models: Models;
  deskPort: number;
  trackingPort: number;
  close: () => Promise<void>;
}

export async function startServer(config: Config, log: Logger, webFolder: string): Promise<RunningServer> {
  const models = defineModels(openSequelize(config.databaseUrl));
  const w = await openWorkings(config, log);
  const tracking = buildTrackingServer(await wireCapture(w, config, log), wireIntake(w, config, log), (err) =>
    log.error({ err }, 'tracking request failed'),
  );
  const desk = createServer();
  desk.on('clientError', answerUnreadable);
  const { host, port } = config.tracking;
  const trackingPort = await listen(tracking, host, port, 'TRACHEON_TRACKING_PORT');
  const deskPort = await listen(desk, config.desk.host, config.desk.port, 'TRACHEON_DESK_PORT').catch(
    (error: unknown) => {
      tracking.close();
      throw error;
    },
  );
  const real = withPorts(config, deskPort, trackingPort);
  const deps = { config: real, models, pool: w.pools.desk, news: w.news, judge: w.judge, now: w.now };
  desk.on('request', buildDeskApp({ ...deps, trouble: troubleOf(w) }, log, webFolder));
  const call = makeCaller(config.allowOutgoing, [real.tracking.origin, real.desk.origin]);
  const jobs = startJobs(w, call, log);

  let closing: Promise<void> | null = null;
  const close = async (): Promise<void> => {
    await Promise.all(jobs.map((j) => j.stop()));
    w.news.close();
    await Promise.all([closeServer(tracking), closeServer(desk)]);
    await Promise.all([w.visits.close(), w.receipts.close()]);
    await w.unknown.flush().catch(() => undefined);
    await w.live.close();
    await models.sequelize.close();
    await Promise.all(Object.values(w.pools).map((pool) => pool.end()));
  };
  return { models, deskPort, trackingPort, close: () => (closing ??= close()) };
}

const troubleOf = (w: Workings) => (deskId: string) => ({
  unrecorded: w.unrecorded.get(deskId) ?? 0,
  broken: w.live.current.broken.filter((b) => b.deskId === deskId).length,
});
