/**
 * Everything that npm start runs, on free ports and a fresh database: one server with the demo desk, and the practice partners,
 * three times: a practice affiliate network knows one postback URL.
 */
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
}

/** By whose partners: those of the demo desk, and two more for desks that are set up in tests. */
const partnerSets = ['demo', 'first', 'second'] as const;
export type PartnerSet = (typeof partnerSets)[number];

interface Place {
  host: string;
  port: string;
}
const place = async (host: string): Promise<Place> => ({ host, port: String(await freePort(host)) });
const origin = ({ host, port }: Place): string => `http://${host}:${port}`;

const partnerPlaces = async () => ({
  ads: await place('127.0.0.3'),
  affiliate: await place('127.0.0.4'),
  pages: await place('127.0.0.5'),
  pops: await place('127.0.0.6'),
  feed: await place('127.0.0.7'),
  mailbox: await place('127.0.0.8'),
  smtp: await place('127.0.0.8'),
});
type Partners = Awaited<ReturnType<typeof partnerPlaces>>;

const practiceSettings = (p: Partners, tracking: Place): Record<string, string> => ({
  PRACTICE_AD_NETWORK_PORT: p.ads.port,
  PRACTICE_AFFILIATE_PORT: p.affiliate.port,
  PRACTICE_PAGES_PORT: p.pages.port,
  PRACTICE_POP_NETWORK_PORT: p.pops.port,
  PRACTICE_FEED_PORT: p.feed.port,
  PRACTICE_MAILBOX_PORT: p.mailbox.port,
  PRACTICE_SMTP_PORT: p.smtp.port,
  PRACTICE_TRACKING_ORIGIN: origin(tracking),
  TZ: 'Europe/Brussels',
});

const serverSettings = ({ demo, ...others }: Record<PartnerSet, Partners>, provider: Place) => ({
  TRACHEON_SECRET: 'only for tests, and longer than thirty-two',
  TRACHEON_LOG: 'error',
  TRACHEON_VISITOR_PATIENCE_MS: '10000',
  TRACHEON_VERDICT_PATIENCE_MS: '10000',
  TRACHEON_TRUSTED_PROXIES: `${demo.ads.host},${demo.pops.host}`,
  TRACHEON_ALLOW_OUTGOING: [
    provider,
    ...[demo, ...Object.values(others)].flatMap((p) => [p.ads, p.pages, p.pops, p.affiliate, p.feed]),
  ]
    .map((p) => `${p.host}:${p.port}`)
    .join(','),
  TRACHEON_PRACTICE_AD_NETWORK: origin(demo.ads),
  TRACHEON_PRACTICE_AFFILIATE: origin(demo.affiliate),
  TRACHEON_PRACTICE_PAGES: origin(demo.pages),
  TRACHEON_PRACTICE_POP_NETWORK: origin(demo.pops),
  TRACHEON_SMTP_URL: `smtp://${demo.smtp.host}:${demo.smtp.port}`,
  TRACHEON_MAIL_FROM: 'tracheon@desk.example',
  TZ: 'Europe/Brussels',
  // What the screens need of it, and no more.
  TRACHEON_DEMO_SHARE: '0.2',
  // With all cores busy with browsers, it would have no turn for seconds.
  TRACHEON_NUMBERS_NICE: '0',
});

/** All partners at once: `npm start` has the demo desk's alone. */
export async function startWholeSystem(): Promise<
  Record<PartnerSet, WholeSystem> & { stop: () => Promise<void> }
> {
  const database = await freshDatabase();
  const dataFolder = mkdtempSync(join(tmpdir(), 'tracheon-browser-'));
  const [desk, tracking, partnerPage, provider] = await Promise.all([
    place('127.0.0.1'),
    place('127.0.0.2'),
    place('127.0.0.9'),
    place('127.0.0.7'),
  ]);
  const [demo, first, second] = await Promise.all([partnerPlaces(), partnerPlaces(), partnerPlaces()]);
  const all = { demo, first, second };
  const settings = {
    ...serverSettings(all, provider),
    DATABASE_URL: database.directUrl,
    TRACHEON_DATA: dataFolder,
    TRACHEON_DESK_PORT: desk.port,
    TRACHEON_TRACKING_PORT: tracking.port,
    TRACHEON_PARTNERS_PORT: partnerPage.port,
  };
  const prepare = new ChildProgram(['server/dist/prepare.mjs', '--demo'], settings);
  if ((await prepare.ended) !== 0) throw new Error(prepare.output);
  const { first: owner } = JSON.parse(prepare.output.trim().split('\n').at(-1)!) as {
    first: { email: string; password: string };
  };
  const practices = partnerSets.map(
    (set) => new ChildProgram(['practice/dist/practice.mjs'], practiceSettings(all[set], tracking)),
  );
  const server = new ChildProgram(['server/dist/server.mjs'], settings);
  await Promise.all([
    ...practices.map((practice) => practice.says(/practice listening/)),
    server.says(/^listening /m),
  ]);
  // Screens say that figures are being prepared; a test of something else would take that for a failure.
  const numbers = new NumbersClient(dataFolder);
  for (const end = Date.now() + 60_000; (await numbers.state()).state !== 'ready'; await pause(200))
    if (Date.now() > end) throw new Error(`no figures after a minute:\n${server.output.slice(-2000)}`);
  const system = (p: Partners): WholeSystem => ({
    desk: origin(desk),
    tracking: origin(tracking),
    partnerPage: origin(partnerPage),
    adNetwork: origin(p.ads),
    affiliate: origin(p.affiliate),
    pages: origin(p.pages),
    popNetwork: origin(p.pops),
    feed: origin(p.feed),
    mailbox: origin(demo.mailbox),
    provider,
    ...owner,
    databaseUrl: database.directUrl,
  });
  return {
    demo: system(demo),
    first: system(first),
    second: system(second),
    stop: async () => {
      for (const program of [server, ...practices]) program.signal('SIGTERM');
      await Promise.all([server, ...practices].map((program) => program.ended));
      // What a screen only shows as a status.
      const errors = server.output.split('\n').filter((line) => line.includes('"level":50'));
      if (errors.length > 0) console.log(`The server logged:\n${errors.slice(0, 20).join('\n')}`);
      await database.drop();
      rmSync(dataFolder, { recursive: true, force: true });
    },
  };
}
