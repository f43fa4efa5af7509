/**
 * Installs what is missing: Debian packages by apt, npm packages by `npm ci`. Needs nothing but Node.js, so that it
 * runs before any install. Whatever cannot be done is one sentence, thrown as CannotStart.
 */
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { chromiumPath, hasShell } from './chromium.mjs';

export const root = join(dirname(fileURLToPath(import.meta.url)), '..');
export class CannotStart extends Error {}
export const isRoot = process.getuid?.() === 0;

const MIN_POSTGRES = 15;

/** Folder with initdb and pg_ctl of the newest PostgreSQL that is new enough; null when there is none. */
export function postgresFolder() {
  const base = '/usr/lib/postgresql';
  if (!existsSync(base)) return null;
  const newest = readdirSync(base)
    .filter((v) => Number(v) >= MIN_POSTGRES && existsSync(join(base, v, 'bin', 'initdb')))
    .sort((a, b) => Number(b) - Number(a))[0];
  return newest ? join(base, newest, 'bin') : null;
}

export function ensurePostgres() {
  if (!postgresFolder()) aptInstall('postgresql', 'PostgreSQL');
  const folder = postgresFolder();
  if (!folder)
    throw new CannotStart(
      `PostgreSQL ${MIN_POSTGRES} or newer is required, but apt installs an older one. Set DATABASE_URL to a newer server.`,
    );
  return folder;
}

/** The shell where apt can install it, else the whole browser where that is there. */
export function ensureChromium() {
  if (hasShell()) return;
  try {
    aptInstall('chromium-headless-shell', 'Chromium');
  } catch (error) {
    if (!chromiumPath()) throw error;
  }
  if (!chromiumPath()) throw new CannotStart('apt-get has installed Chromium, but it is not in /usr/bin.');
}

/** The examples are tried with it. */
export function ensureCurl() {
  const there = spawnSync('curl', ['--version'], { stdio: 'ignore' }).status === 0;
  if (!there) aptInstall('curl', 'curl');
}

function aptInstall(name, word) {
  const how = `Install it with: apt-get install ${name}`;
  if (!existsSync('/usr/bin/apt-get'))
    throw new CannotStart(
      `${word} is missing, and this machine has no apt-get. Install ${word} yourself${name === 'postgresql' ? ', or set DATABASE_URL' : ''}.`,
    );
  const sudo = isRoot ? [] : ['sudo', '-n'];
  if (!isRoot && spawnSync('sudo', ['-n', 'true'], { stdio: 'ignore' }).status !== 0)
    throw new CannotStart(
      `${word} is missing, and this user can't install packages. ${how} (as root)${name === 'postgresql' ? ', or set DATABASE_URL' : ''}.`,
    );
  console.log(`Installing ${word} …`);
  const run = (args) => {
    const [command, ...rest] = [...sudo, 'env', 'DEBIAN_FRONTEND=noninteractive', 'apt-get', ...args];
    return spawnSync(command, rest, { encoding: 'utf8' });
  };
  run(['update', '-q']);
  const done = run(['install', '-y', '-q', '--no-install-recommends', name]);
  if (done.status !== 0)
    throw new CannotStart(
      `${word} could not be installed by apt-get: ${lastLine(done.stderr || done.stdout)} ${how}`,
    );
}

const lastLine = (text) => text.trim().split('\n').at(-1) ?? '';

/** `npm ci` when the lock file is not what is installed. */
export function ensurePackages() {
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');
  const stamp = join(root, 'node_modules', '.tracheon-lock');
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === lock) return;
  console.log('Installing npm packages …');
  // A production environment would leave out what builds the app.
  const install = (...more) =>
    spawnSync('npm', ['ci', '--ignore-scripts', '--include=dev', '--no-fund', '--no-audit', ...more], {
      cwd: root,
      encoding: 'utf8',
    });
  // What npm has from earlier is enough most of the time. It does not know versions that were published since.
  let done = install('--prefer-offline');
  if (done.status !== 0) done = install();
  if (done.status !== 0)
    throw new CannotStart(`npm ci failed: ${(done.stderr ?? '').trim().split('\n').slice(-5).join('\n')}`);
  writeFileSync(stamp, lock);
}
