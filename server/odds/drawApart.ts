/** Starts the process of the draws, and waits for its answer. */
import { fork } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { SplitOdds } from '@tracheon/core/routing';
import { BUDGET_MS, type SplitToDraw } from './drawAll.ts';

/** Low priority beside a busy server: wall time may be many times the processor time. */
const PATIENCE_MS = 12 * BUDGET_MS;

/** As a program of the build beside the server's, or from the source while developing. */
const isSource = import.meta.url.endsWith('.ts');
const program = fileURLToPath(new URL(isSource ? './drawOdds.ts' : './odds.mjs', import.meta.url));

export function drawApart(splits: readonly SplitToDraw[]): Promise<SplitOdds[]> {
  return new Promise((resolve, reject) => {
    const child = fork(program, {
      execArgv: isSource ? ['--import', 'tsx'] : [],
      // Nothing of the server's secrets.
      env: { PATH: process.env.PATH },
    });
    const patience = setTimeout(() => child.kill('SIGKILL'), PATIENCE_MS);
    child.once('message', (odds) => resolve(odds as SplitOdds[]));
    child.once('error', reject);
    child.once('exit', (code, signal) => {
      clearTimeout(patience);
      reject(new Error(`the draws ended with ${signal ?? code}`));
    });
    child.send([...splits]);
  });
}
