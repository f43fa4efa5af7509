/**
 * npm start: installs, starts the database, prepares it, builds, starts the server and the practice partners, prints
 * where they are. Ctrl-C stops all of it, and nothing that it did not start.
 *   --empty  no demo data and no practice partners
 *   --dev    reload on change
 *   --processes=2   so many server processes that listen together
 */
import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { build } from './build.mjs';
import { keptSecret, startCluster } from './database.mjs';
import { CannotStart, ensurePackages, root } from './install.mjs';
import { needFree } from './needFree.mjs';
import { SERVER_FLAGS } from './serverFlags.mjs';

const empty = process.argv.includes('--empty');
const dev = process.argv.includes('--dev');
const processes = process.argv.find((a) => a.startsWith('--processes='))?.slice('--processes='.length);
const env = process.env;
const data = resolve(root, env.TRACHEON_DATA ?? 'data');
const lock = join(data, 'start.pid');
const signInFile = join(data, 'first-sign-in.txt');
/** What a killed start had started ends once it finds that nobody holds its input. */
const ENDS_WITHIN_MS = 30_000;
const children = [];
let cluster = null;
let stopping = false;

const place = (name, host, port) => ({
  host: env[`TRACHEON_${name}_HOST`] ?? host,
  port: Number(env[`TRACHEON_${name}_PORT`] ?? port),
  name,
});
const desk = place('DESK', '127.0.0.1', 7400);
const tracking = place('TRACKING', '127.0.0.2', 7401);
const partners = place('PARTNERS', '127.0.0.9', 7409);
const hasPartners = env.TRACHEON_PARTNERS !== 'off';
const adNetwork = place('PRACTICE_AD_NETWORK', '127.0.0.3', 7402);
const affiliate = place('PRACTICE_AFFILIATE', '127.0.0.4', 7403);
const pages = place('PRACTICE_PAGES', '127.0.0.5', 7404);
const popNetwork = place('PRACTICE_POP_NETWORK', '127.0.0.6', 7405);
const feed = place('PRACTICE_FEED', '127.0.0.7', 7406);
const mailbox = place('PRACTICE_MAILBOX', '127.0.0.8', 7407);
const smtp = { ...place('PRACTICE_SMTP', mailbox.host, 7408), host: mailbox.host };
const vite = { host: desk.host, port: desk.port + 90, name: 'DEV' };
const origin = (p) => `http://${p.host}:${p.port}`;

async function start() {
  const began = Date.now();
  mkdirSync(data, { recursive: true });
  const patienceMs = takeLock() ? ENDS_WITHIN_MS : 0;
  for (const p of [
    desk,
    tracking,
    ...(hasPartners ? [partners] : []),
    ...(empty ? [] : [adNetwork, affiliate, pages, popNetwork, feed, mailbox, smtp]),
  ])
    await needFree(p, patienceMs, () =>
      console.log(
        `${p.host}:${p.port} is still in use, perhaps by the start that was killed. Waiting up to 30 s …`,
      ),
    );
  ensurePackages();
  if (!env.DATABASE_URL) {
    cluster = await startCluster(join(data, 'postgresql'));
    cluster.createDatabase('tracheon');
  }
  if (!dev) await build();
  else await build({ force: true });
  const settings = settingsFor();
  const prepared = prepare(settings);
  const origins = dev ? { TRACHEON_DESK_ORIGIN: origin(vite) } : {};
  if (prepared.signIn)
    writeFileSync(signInFile, `${prepared.signIn.email}\n${prepared.signIn.password}\n`, { mode: 0o600 });
  if (!empty) handover(prepared.demo, prepared.first !== null);
  if (!empty) await runPractice();
  await runServer({ ...settings, ...origins });
  if (dev) runVite();
  say(prepared, Math.round((Date.now() - began) / 100) / 10);
}

function settingsFor() {
  return {
    ...env,
    DATABASE_URL: env.DATABASE_URL ?? cluster.url('tracheon'),
    TRACHEON_SECRET: env.TRACHEON_SECRET ?? keptSecret(join(data, 'session-secret')),
    TRACHEON_DATA: data,
    ...(processes === undefined ? {} : { TRACHEON_PROCESSES: processes }),
    TRACHEON_WEB: join(root, 'web/dist'),
    TRACHEON_ENDS_WITH_STDIN: 'yes',
    TRACHEON_LOG: env.TRACHEON_LOG ?? 'warn',
    TRACHEON_DESK_HOST: desk.host,
    TRACHEON_DESK_PORT: String(desk.port),
    TRACHEON_TRACKING_HOST: tracking.host,
    TRACHEON_TRACKING_PORT: String(tracking.port),
    TRACHEON_PARTNERS_HOST: partners.host,
    TRACHEON_PARTNERS_PORT: String(partners.port),
    ...(empty
      ? {}
      : {
          // The practice ad networks send visits of many countries through a forwarded address, and are called back.
          TRACHEON_TRUSTED_PROXIES: env.TRACHEON_TRUSTED_PROXIES ?? `${adNetwork.host},${popNetwork.host}`,
          TRACHEON_ALLOW_OUTGOING:
            env.TRACHEON_ALLOW_OUTGOING ??
            [adNetwork, affiliate, pages, popNetwork, feed].map((p) => `${p.host}:${p.port}`).join(','),
          TRACHEON_SMTP_URL: env.TRACHEON_SMTP_URL ?? `smtp://${smtp.host}:${smtp.port}`,
          TRACHEON_MAIL_FROM: env.TRACHEON_MAIL_FROM ?? 'tracheon@desk.example',
          TRACHEON_PRACTICE_AD_NETWORK: origin(adNetwork),
          TRACHEON_PRACTICE_AFFILIATE: origin(affiliate),
          TRACHEON_PRACTICE_PAGES: origin(pages),
          TRACHEON_PRACTICE_POP_NETWORK: origin(popNetwork),
          TRACHEON_PRACTICE_FEED: origin(feed),
        }),
  };
}

/** With a new demo desk the practice partners have its links already, as if a member had pasted them there. */
function handover(demo, isNew) {
  // Made with the desk; a start that was killed in between writes it now.
  if (!demo || (!isNew && existsSync(join(data, 'practice', 'pages.json')))) return;
  const { campaign, trackingLink, postback, flow, leads, pages: contents, searches = [] } = demo.handedOver;
  const folder = join(data, 'practice');
  mkdirSync(folder, { recursive: true });
  const write = (name, state) => writeFileSync(join(folder, `${name}.json`), JSON.stringify(state));
  const link = origin(tracking) + trackingLink;
  write('ad-network', {
    campaigns: [{ id: 1, name: campaign, link, sent: [], flow }],
    postbacks: [],
  });
  write('affiliate', { postback: origin(tracking) + postback, manner: 'well', leads });
  write('feed', { searches, closed: [] });
  // Last: it says that all of them are there.
  const own = (text) => text.replaceAll('ORIGIN', origin(tracking));
  write('pages', {
    pages: Object.fromEntries(
      Object.entries(contents).map(([name, c]) => [
        name,
        { ...c, buttons: c.buttons.map(own), script: own(c.script), behaves: 'well' },
      ]),
    ),
  });
}

/** For preparing alone: where the first password is kept until it has been used. */
const firstSignIn = () => ({ TRACHEON_OWNER_PASSWORD_FILE: join(data, 'owner-password') });

function prepare(settings) {
  const done = spawnSync(
    process.execPath,
    [join(root, 'server/dist/prepare.mjs'), ...(empty ? [] : ['--demo'])],
    {
      env: { ...settings, ...firstSignIn() },
      cwd: root,
      encoding: 'utf8',
      stdio: ['ignore', 'pipe', 'pipe'],
    },
  );
  if (done.status !== 0) throw new CannotStart(done.stderr.trim() || 'The database could not be prepared.');
  return JSON.parse(done.stdout.trim().split('\n').at(-1));
}

/** Resolves when the program says that it listens; a program that ends before has said why. */
function runProgram(args, settings, ready) {
  return new Promise((done, fail) => {
    const child = spawn(process.execPath, args, {
      env: settings,
      cwd: root,
      // Its standard input ends when this program does, however that ends.
      stdio: ['pipe', 'pipe', 'pipe'],
      detached: true,
    });
    children.push(child);
    let errors = '';
    child.stdout.on('data', (chunk) => {
      if (ready.test(String(chunk))) done();
      else process.stdout.write(chunk);
    });
    child.stderr.on('data', (chunk) => {
      errors += chunk;
      process.stderr.write(chunk);
    });
    child.on('exit', (code) => {
      fail(new CannotStart(errors.trim() === '' ? `A program ended with code ${code}.` : ''));
      if (!stopping) void stop(1);
    });
  });
}

const runServer = (settings) =>
  runProgram(
    dev
      ? [
          '--watch-path=server',
          '--watch-path=core',
          '--watch-preserve-output',
          '--import',
          'tsx',
          'server/app/main.ts',
        ]
      : [...SERVER_FLAGS, 'server/dist/server.mjs'],
    settings,
    /^listening /m,
  );
/** The partners are other people: they get nothing of the database or the secrets. */
const runPractice = () =>
  runProgram(
    ['practice/dist/practice.mjs'],
    {
      PATH: env.PATH,
      PRACTICE_ENDS_WITH_STDIN: 'yes',
      PRACTICE_AD_NETWORK_HOST: adNetwork.host,
      PRACTICE_AD_NETWORK_PORT: String(adNetwork.port),
      PRACTICE_AFFILIATE_HOST: affiliate.host,
      PRACTICE_AFFILIATE_PORT: String(affiliate.port),
      PRACTICE_PAGES_HOST: pages.host,
      PRACTICE_PAGES_PORT: String(pages.port),
      PRACTICE_POP_NETWORK_HOST: popNetwork.host,
      PRACTICE_POP_NETWORK_PORT: String(popNetwork.port),
      PRACTICE_FEED_HOST: feed.host,
      PRACTICE_FEED_PORT: String(feed.port),
      PRACTICE_MAILBOX_HOST: mailbox.host,
      PRACTICE_MAILBOX_PORT: String(mailbox.port),
      PRACTICE_SMTP_PORT: String(smtp.port),
      PRACTICE_TRACKING_ORIGIN: origin(tracking),
      PRACTICE_STATE: join(data, 'practice'),
    },
    /^practice listening/m,
  );

function runVite() {
  const child = spawn(
    process.execPath,
    [
      'node_modules/vite/bin/vite.js',
      'web',
      '--host',
      vite.host,
      '--port',
      String(vite.port),
      '--strictPort',
    ],
    {
      cwd: root,
      env: { ...env, TRACHEON_DEV_API: origin(desk) },
      stdio: ['ignore', 'ignore', 'inherit'],
      detached: true,
    },
  );
  children.push(child);
}

/** True if the start before was killed: then what it had started may still be about to end. */
function takeLock() {
  const wasKilled = existsSync(lock);
  if (wasKilled) {
    const pid = Number(readFileSync(lock, 'utf8'));
    if (pid !== process.pid && alive(pid))
      throw new CannotStart(
        `Tracheon is already running from this data folder (process ${pid}). Stop it first, or set TRACHEON_DATA and the ports.`,
      );
  }
  writeFileSync(lock, String(process.pid));
  return wasKilled;
}
function alive(pid) {
  try {
    process.kill(pid, 0);
    // A pid can be another program's by now.
    return readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('start.mjs');
  } catch {
    return false;
  }
}

function say(prepared, seconds) {
  const places = [
    ['Desk', dev ? vite : desk, ''],
    ['Tracking links and postbacks in', tracking, ''],
    ...(hasPartners ? [['Partner page', partners, '']] : []),
  ];
  if (!empty)
    places.push(
      ['Practice ad network', adNetwork, '   (simulated)'],
      ['Second practice ad network', popNetwork, '   (simulated)'],
      ['Practice affiliate network', affiliate, '   (simulated)'],
      ['Practice landing pages', pages, '   (simulated)'],
      ['Practice search feed', feed, '   (simulated)'],
      ['Practice mailbox', mailbox, '   (simulated)'],
    );
  const width = Math.max(...places.map(([name]) => name.length)) + 2;
  const lines = ['', `Tracheon is ready after ${seconds} s.`, ''];
  for (const [name, at, note] of places) lines.push(`  ${name.padEnd(width)}${origin(at)}${note}`);
  if (prepared.signIn) {
    const { email, password } = prepared.signIn;
    lines.push('', `  Sign in as ${email} with ${password}`, `  (first sign-in, saved in ${signInFile})`);
    if (prepared.partner && hasPartners)
      lines.push(`  At the partner page, sign in as ${prepared.partner} with the same password`);
  } else lines.push('', '  Sign in with the password that you chose.');
  lines.push('', 'Press Ctrl-C to stop everything.', '');
  console.log(lines.join('\n'));
}

async function stop(code) {
  if (stopping) return;
  stopping = true;
  const running = children.filter((c) => c.exitCode === null && c.signalCode === null);
  const ended = running.map((c) => new Promise((done) => c.once('exit', done)));
  for (const child of running) killGroup(child, 'SIGTERM');
  const patience = setTimeout(() => running.forEach((c) => killGroup(c, 'SIGKILL')), 8000);
  await Promise.all(ended);
  clearTimeout(patience);
  cluster?.stop();
  if (existsSync(lock) && readFileSync(lock, 'utf8') === String(process.pid)) rmSync(lock);
  process.exit(code);
}
function killGroup(child, signal) {
  try {
    process.kill(-child.pid, signal);
  } catch {
    // It has ended meanwhile.
  }
}

for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => void stop(0));
start().catch(async (error) => {
  if (!stopping && error.message !== '')
    console.error(error instanceof CannotStart ? error.message : error.stack);
  await stop(1);
});
