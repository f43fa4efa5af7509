/** What signal watches look with. */
import type { Logger } from 'pino';
import type { Config } from '../config/config.ts';
import { NumbersClient } from '../numbers/numbersClient.ts';
import { ServerTrouble } from '../signalWatches/serverTrouble.ts';
import type { SignalDeps } from '../signalWatches/signalJobs.ts';
import type { Workings } from './wiring.ts';

export function wireSignals(
  w: Workings,
  config: Config,
  log: Logger,
  ground: Pick<SignalDeps, 'models' | 'fetchPage' | 'walk' | 'checkDomain'>,
): SignalDeps {
  const numbers = new NumbersClient(config.dataFolder);
  return {
    ...ground,
    pool: w.pools.desk,
    ask: (deskId, asked) => numbers.ask({ deskId, asked }),
    waiting: w.spoolFiles,
    server: new ServerTrouble({ dataFolder: config.dataFolder, spoolFiles: w.spoolFiles }),
    secret: config.secret,
    allowOutgoing: config.allowOutgoing,
    listening: config.tracking.origin,
    now: w.now,
    tell: (deskId) => w.news.tell(deskId, 'watches'),
    onTrouble: (what, err) => log.error({ err, what }, 'a signal watch could not look'),
  };
}
