/** npm run bench:<name>: a PostgreSQL of its own with durability on, the build, and bench/<name>.ts. */
import { spawnSync } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build } from './build.mjs';
import { startCluster } from './database.mjs';
import { ensurePackages, root } from './install.mjs';

const [name, ...args] = process.argv.slice(2);
ensurePackages();
let work = null;
let cluster = null;
let env = { ...process.env, NODE_OPTIONS: '', NODE_ENV: 'production' };
if (!['tokens', 'routing', 'automatic'].includes(name)) {
  await build();
  if (!env.DATABASE_URL) {
    work = mkdtempSync(join(tmpdir(), 'tracheon-bench-'));
    chmodSync(work, 0o711);
    cluster = await startCluster(join(work, 'postgresql'));
    cluster.createDatabase('bench');
    env = { ...env, DATABASE_URL: cluster.url('bench') };
  }
}
const { status } = spawnSync(process.execPath, ['--import', 'tsx', `bench/${name}.ts`, ...args], {
  cwd: root,
  env,
  stdio: 'inherit',
});
cluster?.stop('immediate');
if (work) rmSync(work, { recursive: true, force: true });
process.exitCode = status ?? 1;
