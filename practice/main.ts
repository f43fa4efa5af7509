/** Starts the practice partners on loopback hosts of their own. */
import type { AddressInfo } from 'node:net';
import type { Express } from 'express';
import { join } from 'node:path';
import { buildAdNetwork } from './adNetwork/buildAdNetwork.ts';
import { lapwing, moorhen } from './adNetwork/characters.ts';
import { buildAffiliate } from './affiliate/buildAffiliate.ts';
import { buildFeed } from './feed/buildFeed.ts';
import { buildMailbox } from './mailbox/buildMailbox.ts';
import { buildPages } from './pages/buildPages.ts';

const env = (name: string, fallback: string): string => process.env[name] ?? fallback;
const trackingOrigin = (): string => env('PRACTICE_TRACKING_ORIGIN', 'http://127.0.0.2:7401');
const folder = process.env.PRACTICE_STATE;
const file = (name: string): string | null => (folder ? join(folder, `${name}.json`) : null);

const adHost = env('PRACTICE_AD_NETWORK_HOST', '127.0.0.3');
const adNetwork = buildAdNetwork({
  character: moorhen,
  host: adHost,
  trackingOrigin,
  stateFile: file('ad-network'),
});
const popHost = env('PRACTICE_POP_NETWORK_HOST', '127.0.0.6');
const popNetwork = buildAdNetwork({
  character: lapwing,
  host: popHost,
  trackingOrigin,
  stateFile: file('pop-network'),
});
const affiliate = buildAffiliate({ trackingOrigin, stateFile: file('affiliate') });
const pages = buildPages({ trackingOrigin, stateFile: file('pages') });
const feed = buildFeed({ stateFile: file });
const mailbox = buildMailbox({ stateFile: file('mailbox') });

function listen(app: Express, host: string, port: number): Promise<number> {
  return new Promise((resolve, reject) => {
    const server = app.listen(port, host, (error?: Error) =>
      error ? reject(error) : resolve((server.address() as AddressInfo).port),
    );
  });
}
const listenForMail = (host: string, port: number): Promise<number> =>
  new Promise((resolve, reject) => {
    mailbox.smtp.once('error', reject);
    mailbox.smtp.listen(port, host, () => resolve((mailbox.smtp.address() as AddressInfo).port));
  });
const mailHost = env('PRACTICE_MAILBOX_HOST', '127.0.0.8');
void Promise.all([
  listen(adNetwork.app, adHost, Number(env('PRACTICE_AD_NETWORK_PORT', '7402'))),
  listen(
    affiliate.app,
    env('PRACTICE_AFFILIATE_HOST', '127.0.0.4'),
    Number(env('PRACTICE_AFFILIATE_PORT', '7403')),
  ),
  listen(pages.app, env('PRACTICE_PAGES_HOST', '127.0.0.5'), Number(env('PRACTICE_PAGES_PORT', '7404'))),
  listen(popNetwork.app, popHost, Number(env('PRACTICE_POP_NETWORK_PORT', '7405'))),
  listen(feed.app, env('PRACTICE_FEED_HOST', '127.0.0.7'), Number(env('PRACTICE_FEED_PORT', '7406'))),
  listen(mailbox.app, mailHost, Number(env('PRACTICE_MAILBOX_PORT', '7407'))),
  listenForMail(mailHost, Number(env('PRACTICE_SMTP_PORT', '7408'))),
]).then(
  ([ads, partners, site, pops, feeds, mail, smtp]) =>
    process.stdout.write(
      `practice listening ad-network=${ads} affiliate=${partners} pages=${site} pop-network=${pops} feed=${feeds} mailbox=${mail} smtp=${smtp}\n`,
    ),
  (error: unknown) => {
    process.stderr.write(`The practice partners cannot listen: ${(error as Error).message}.\n`);
    process.exit(78);
  },
);

function end(): void {
  adNetwork.stop();
  popNetwork.stop();
  affiliate.stop();
  pages.stop();
  feed.stop();
  mailbox.stop();
  process.exit(0);
}
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, end);
// Whoever started it holds the other end, and may be killed without a word.
if (process.env.PRACTICE_ENDS_WITH_STDIN)
  process.stdin
    .on('end', end)
    .on('error', () => undefined)
    .resume();
