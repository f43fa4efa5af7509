/**
 * npm run backup -- <folder>: database, spool, sealed days and keys into a new folder, while Tracheon runs or not.
 * npm run restore -- <folder>: all of it onto a machine that has none; refuses where there is a desk already.
 *
 * The spool is copied before the database is dumped: a row that moves from the one to the other in between is in both,
 * and loading it again changes nothing. The other way round it could be in neither.
 */
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
  chmodSync,
  copyFileSync,
  cpSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { join, relative, resolve } from 'node:path';
import { startCluster } from './database.mjs';
import { CannotStart, ensurePostgres, root } from './install.mjs';

const data = resolve(root, process.env.TRACHEON_DATA ?? 'data');
/** What opens sessions and secrets: without it everybody signs in anew. */
const KEY_FILES = ['session-secret', 'owner-password', 'first-sign-in.txt'];
const MANIFEST = 'manifest.json';
const DUMP = 'database.dump';

function files(folder) {
  return readdirSync(folder, { withFileTypes: true }).flatMap((e) =>
    e.isDirectory() ? files(join(folder, e.name)) : [join(folder, e.name)],
  );
}
const checksum = (file) => createHash('sha256').update(readFileSync(file)).digest('hex');

/** The database's address, and how to leave it as it was found. */
async function openDatabase(mustExist) {
  if (process.env.DATABASE_URL) return { url: process.env.DATABASE_URL, close: () => undefined };
  const folder = join(data, 'postgresql');
  if (mustExist && !existsSync(folder))
    throw new CannotStart(`There is no database in ${data}. Set TRACHEON_DATA or DATABASE_URL.`);
  const cluster = await startCluster(folder);
  cluster.createDatabase('tracheon');
  return { url: cluster.url('tracheon'), close: () => (cluster.wasRunning ? undefined : cluster.stop()) };
}

/** The password goes by the environment: a command line is everybody's to read. */
function run(program, args, url) {
  const { username, password, hostname, port, pathname, search } = new URL(url);
  const done = spawnSync(join(ensurePostgres(), program), args, {
    encoding: 'utf8',
    cwd: '/',
    env: {
      ...process.env,
      PGUSER: decodeURIComponent(username),
      PGPASSWORD: decodeURIComponent(password),
      PGHOST: hostname.replace(/^\[|\]$/g, ''),
      PGPORT: port || '5432',
      PGDATABASE: decodeURIComponent(pathname.slice(1)),
      ...(/sslmode=(\w[\w-]*)/.test(search) ? { PGSSLMODE: /sslmode=(\w[\w-]*)/.exec(search)[1] } : {}),
    },
  });
  if (done.status !== 0)
    throw new CannotStart(
      `${program} failed: ${(done.stderr || String(done.error)).trim().split('\n').at(-1)}`,
    );
  return done.stdout;
}

async function backup(target) {
  if (existsSync(target) && readdirSync(target).length > 0)
    throw new CannotStart(`${target} is not empty. Choose an empty folder for the backup.`);
  mkdirSync(target, { recursive: true, mode: 0o700 });
  chmodSync(target, 0o700);
  if (existsSync(join(data, 'spool')))
    cpSync(join(data, 'spool'), join(target, 'spool'), { recursive: true });
  mkdirSync(join(target, 'keys'), { mode: 0o700 });
  for (const name of KEY_FILES)
    if (existsSync(join(data, name))) copyFileSync(join(data, name), join(target, 'keys', name));
  const database = await openDatabase(true);
  try {
    run('pg_dump', ['--format=custom', '--no-owner', '--file', join(target, DUMP)], database.url);
  } finally {
    database.close();
  }
  // After the dump: the files that it names stay for two days when others replace them.
  if (existsSync(join(data, 'sealed')))
    cpSync(join(data, 'sealed'), join(target, 'sealed'), { recursive: true });
  const entries = files(target).map((f) => [relative(target, f), checksum(f)]);
  writeFileSync(
    join(target, MANIFEST),
    `${JSON.stringify({ format: 1, made: new Date().toISOString(), files: Object.fromEntries(entries) }, null, 2)}\n`,
    { mode: 0o600 },
  );
  const size = files(target).reduce((sum, f) => sum + statSync(f).size, 0);
  console.log(
    `Backup of ${(size / 1024 / 1024).toFixed(1)} MB in ${target}. It contains keys and visitors' data. Keep it safe.`,
  );
}

function checked(source) {
  const manifest = join(source, MANIFEST);
  if (!existsSync(manifest)) throw new CannotStart(`${source} is not a backup: ${MANIFEST} is missing.`);
  const { format, files: listed } = JSON.parse(readFileSync(manifest, 'utf8'));
  if (format !== 1) throw new CannotStart(`This backup has format ${format}, which this version can't read.`);
  for (const [name, sum] of Object.entries(listed)) {
    const file = join(source, name);
    if (!existsSync(file) || checksum(file) !== sum)
      throw new CannotStart(`${name} of this backup is missing or was changed. Nothing was restored.`);
  }
}

/**
 * Names carry the process that wrote them; here that is nobody, so that whoever starts first adopts them. (A process of
 * the same number may well run on this machine.)
 */
function restoreSpool(from, to) {
  mkdirSync(to, { recursive: true, mode: 0o700 });
  for (const [n, name] of readdirSync(from).sort().entries()) {
    const kind = name.split('-')[0];
    copyFileSync(join(from, name), join(to, `${kind}-0.0-${String(n).padStart(6, '0')}.spool`));
  }
}

async function restore(source) {
  checked(source);
  const database = await openDatabase(false);
  try {
    const psql = (sql) => run('psql', ['--no-psqlrc', '-tAc', sql], database.url).trim();
    const there =
      psql(`SELECT to_regclass('public.desks') IS NOT NULL`) === 't' &&
      psql('SELECT count(*) FROM desks') !== '0';
    if (there)
      throw new CannotStart(
        'This database already has a desk, so nothing was changed. Restore into an empty database.',
      );
    if (psql(`SELECT to_regclass('public.desks') IS NOT NULL`) === 't')
      psql('DROP SCHEMA public CASCADE; CREATE SCHEMA public');
    const { pathname } = new URL(database.url);
    const name = decodeURIComponent(pathname.slice(1));
    run(
      'pg_restore',
      ['--no-owner', '--exit-on-error', '--single-transaction', '--dbname', name, join(source, DUMP)],
      database.url,
    );
  } finally {
    database.close();
  }
  mkdirSync(data, { recursive: true });
  if (existsSync(join(source, 'spool'))) restoreSpool(join(source, 'spool'), join(data, 'spool'));
  if (existsSync(join(source, 'sealed')))
    cpSync(join(source, 'sealed'), join(data, 'sealed'), { recursive: true });
  for (const name of readdirSync(join(source, 'keys'))) {
    copyFileSync(join(source, 'keys', name), join(data, name));
    chmodSync(join(data, name), 0o600);
  }
  console.log('Restored. Run npm start; it also loads what was waiting in the spool.');
}

const [what, folder] = process.argv.slice(2);
try {
  if (!folder) throw new CannotStart(`Name the folder: npm run ${what} -- <folder>`);
  await (what === 'restore' ? restore : backup)(resolve(folder));
} catch (error) {
  console.error(error instanceof CannotStart ? error.message : error.stack);
  process.exitCode = 1;
}
