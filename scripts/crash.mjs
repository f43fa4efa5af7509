/**
 * npm run crash: a PostgreSQL of its own, which the run stops and starts, and the crash run on it. With DATABASE_URL
 * set that server is used: it is not stopped, but cut off.
 */
import { spawn } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from './build.mjs';
import { startCluster } from './database.mjs';
import { ensurePackages, root } from './install.mjs';

/** Resolves with the exit code and what was printed. `say` gets the output while it comes. */
export const crash = async (args, say) => (await crashRuns([args], say))[0];

/** Several runs, one after the other, each in a database of its own on one cluster. */
export async function crashRuns(runs, say = () => undefined) {
  const given = process.env.DATABASE_URL;
  const work = mkdtempSync(join(tmpdir(), 'tracheon-crash-'));
  // User postgres must be able to enter it.
  chmodSync(work, 0o711);
  const cluster = given ? null : await startCluster(join(work, 'postgresql'));
  const end = () => {
    cluster?.stop('immediate');
    rmSync(work, { recursive: true, force: true });
  };
  process.once('exit', end);
  const done = [];
  try {
    for (const [n, args] of runs.entries()) {
      cluster?.createDatabase(`crash_${n}`);
      done.push(await crashRun(args, given ?? cluster.url(`crash_${n}`), cluster, say));
    }
  } finally {
    process.removeListener('exit', end);
    end();
  }
  return done;
}

async function crashRun(args, url, cluster, say) {
  const child = spawn(process.execPath, ['--import', 'tsx', 'tests/crash/main.ts', ...args], {
    cwd: root,
    env: { ...process.env, NODE_OPTIONS: '', DATABASE_URL: url },
    stdio: ['ignore', 'pipe', 'pipe', ...(cluster ? ['ipc'] : [])],
  });
  let output = '';
  for (const stream of [child.stdout, child.stderr])
    stream.on('data', (chunk) => {
      output += chunk;
      say(chunk, stream === child.stdout);
    });
  child.on('message', (what) => {
    if (what === 'stop') cluster.stop('immediate');
    else cluster.start();
    child.send('done');
  });
  const code = await new Promise((resolve) => child.once('close', resolve));
  return { code, output };
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  ensurePackages();
  await build();
  const { code } = await crash(process.argv.slice(2), (chunk, isOut) =>
    (isOut ? process.stdout : process.stderr).write(chunk),
  );
  process.exitCode = code;
}
