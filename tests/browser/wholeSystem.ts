/** Everything that npm start runs, on free ports and a fresh database: the server, and the two practice partners. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { NumbersClient } from '../../server/numbers/numbersClient.ts';
import { freshDatabase } from '../integration/freshDatabase.ts';
import { ChildProgram, freePort } from '../integration/childProgram.ts';

export interface WholeSystem {
  desk: string;
  tracking: string;
  /** Where partners sign in. */
  partnerPage: string;
  adNetwork: string;
  affiliate: string;
  pages: string;
  popNetwork: string;
  /** The practice search feeds. */
  feed: string;
  /** The practice mailbox, where every e-mail arrives. */
  mailbox: string;
  /** Where a test may listen as a provider of a feed: the server may call it. */
  provider: { host: string; port: string };
  email: string;
  password: string;
  databaseUrl: string;
  stop: () => Promise<void>;
}

export async function startWholeSystem(options: { demo: boolean }): Promise<WholeSystem> {
  const database = await freshDatabase();
  const dataFolder = mkdtempSync(join(tmpdir(), 'tracheon-browser-'));
  const place = async (host: string) => ({ host, port: String(await freePort(host)) });
  const [desk, tracking, ads, affiliate, pages, pops, provider, feed, mailbox, smtp, partnerPage] = [
    await place('127.0.0.1'),
    await place('127.0.0.2'),
    await place('127.0.0.3'),
    await place('127.0.0.4'),
    await place('127.0.0.5'),
    await place('127.0.0.6'),
    await place('127.0.0.7'),
    await place('127.0.0.7'),
    await place('127.0.0.8'),
    await place('127.0.0.8'),
    await place('127.0.0.9'),
  ] as const;
  const origin = (p: { host: string; port: string }): string => `http://${p.host}:${p.port}`;
  const settings = {
    DATABASE_URL: database.directUrl,
    TRACHEON_SECRET: 'only for tests, and longer than thirty-two',
    TRACHEON_DATA: dataFolder,
    TRACHEON_LOG: 'error',
    TRACHEON_VISITOR_PATIENCE_MS: '10000',
    TRACHEON_VERDICT_PATIENCE_MS: '10000',
    TRACHEON_DESK_PORT: desk.port,
    TRACHEON_TRACKING_PORT: tracking.port,
    TRACHEON_PARTNERS_PORT: partnerPage.port,
    TRACHEON_TRUSTED_PROXIES: `${ads.host},${pops.host}`,
    TRACHEON_ALLOW_OUTGOING: [ads, pages, pops, affiliate, provider, feed]
      .map((p) => `${p.host}:${p.port}`)
      .join(','),
    TRACHEON_PRACTICE_AD_NETWORK: origin(ads),
    TRACHEON_PRACTICE_AFFILIATE: origin(affiliate),
    TRACHEON_PRACTICE_PAGES: origin(pages),
    TRACHEON_PRACTICE_POP_NETWORK: origin(pops),
    PRACTICE_POP_NETWORK_PORT: pops.port,
    PRACTICE_AD_NETWORK_PORT: ads.port,
    PRACTICE_AFFILIATE_PORT: affiliate.port,
    PRACTICE_PAGES_PORT: pages.port,
    PRACTICE_FEED_PORT: feed.port,
    PRACTICE_MAILBOX_PORT: mailbox.port,
    PRACTICE_SMTP_PORT: smtp.port,
    TRACHEON_SMTP_URL: `smtp://${smtp.host}:${smtp.port}`,
    TRACHEON_MAIL_FROM: 'tracheon@desk.example',
    PRACTICE_TRACKING_ORIGIN: origin(tracking),
    TZ: 'Europe/Brussels',
    // What the screens need of it, and no more.
    TRACHEON_DEMO_SHARE: '0.2',
    // With all cores busy with browsers, it would have no turn for seconds.
    TRACHEON_NUMBERS_NICE: '0',
  };
  const prepare = new ChildProgram(
    ['server/dist/prepare.mjs', ...(options.demo ? ['--demo'] : [])],
    settings,
  );
  if ((await prepare.ended) !== 0) throw new Error(prepare.output);
  const { first } = JSON.parse(prepare.output.trim().split('\n').at(-1)!) as {
    first: { email: string; password: string };
  };
  const practice = new ChildProgram(['practice/dist/practice.mjs'], settings);
  const server = new ChildProgram(['--enable-source-maps', 'server/dist/server.mjs'], settings);
  await Promise.all([practice.says(/practice listening/), server.says(/^listening /m)]);
  // Screens say that figures are being prepared; a test of something else would take that for a failure.
  const numbers = new NumbersClient(dataFolder);
  for (const end = Date.now() + 60_000; (await numbers.state()).state !== 'ready'; await pause(200))
    if (Date.now() > end) throw new Error(`no figures after a minute:\n${server.output.slice(-2000)}`);
  return {
    desk: origin(desk),
    tracking: origin(tracking),
    partnerPage: origin(partnerPage),
    adNetwork: origin(ads),
    affiliate: origin(affiliate),
    pages: origin(pages),
    popNetwork: origin(pops),
    feed: origin(feed),
    mailbox: origin(mailbox),
    provider,
    ...first,
    databaseUrl: database.directUrl,
    stop: async () => {
      for (const program of [server, practice]) program.signal('SIGTERM');
      await Promise.all([server.ended, practice.ended]);
      // What a screen only shows as a status.
      const errors = server.output.split('\n').filter((line) => line.includes('"level":50'));
      if (errors.length > 0) console.log(`The server logged:\n${errors.slice(0, 20).join('\n')}`);
      await database.drop();
      rmSync(dataFolder, { recursive: true, force: true });
    },
  };
}
