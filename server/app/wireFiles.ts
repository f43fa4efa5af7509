/** What conversion files are made with. */
import type { IncomingMessage } from 'node:http';
import { clientAddress, parseRanges } from '../addresses/addresses.ts';
import type { Config } from '../config/config.ts';
import type { FileDeps } from '../reports/conversionFile.ts';
import type { Workings } from './wiring.ts';

export function wireFiles(w: Workings, config: Config): FileDeps {
  const trusted = parseRanges(config.trustedProxies);
  const peerOf = (req: IncomingMessage): string =>
    clientAddress(req.socket.remoteAddress ?? '', req.headers['x-forwarded-for']?.toString(), trusted);
  return {
    pool: w.pools.desk,
    serverSecret: config.secret,
    isHeldOff: (req) => w.strangers.isClosed(peerOf(req), w.now()),
    onUnknown: (req) => w.strangers.failed(peerOf(req), w.now()),
  };
}
