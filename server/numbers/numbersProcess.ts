/** Runs the numbers process beside a server: started with it, started again when it ends, ended with it. */
import { spawn, type ChildProcess } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { Logger } from 'pino';
import { SERVED_ALREADY } from './numbersSocket.ts';

/** Beside the bundled server. */
const PROGRAM = fileURLToPath(new URL('./numbers.mjs', import.meta.url));
/** After its end; twice as long each time that it ends early. */
const START_AGAIN_MS = 2000;
const MAX_START_AGAIN_MS = 60_000;
const PATIENCE_MS = 3000;
/** Another server of this data folder has it; it may end one day. */
const LOOK_AGAIN_MS = 10_000;

export function startNumbersProcess(log: Logger): { close: () => Promise<void> } {
  let isClosing = false;
  let child: ChildProcess | null = null;
  let timer: NodeJS.Timeout | undefined;
  let again = START_AGAIN_MS;
  const start = (): void => {
    const began = performance.now();
    const started = spawn(process.execPath, [PROGRAM], {
      stdio: ['pipe', 'ignore', 'inherit'],
      env: { ...process.env, TRACHEON_ENDS_WITH_STDIN: 'yes' },
    });
    child = started;
    // It may have gone before it was told to.
    started.stdin.on('error', () => undefined);
    started.once('error', (err) => log.error({ err }, 'the numbers process could not be started'));
    started.once('exit', (code, signal) => {
      child = null;
      if (isClosing) return;
      if (code !== SERVED_ALREADY)
        log.error({ code, signal }, 'the numbers process ended; it is started again');
      again =
        performance.now() - began > MAX_START_AGAIN_MS
          ? START_AGAIN_MS
          : Math.min(2 * again, MAX_START_AGAIN_MS);
      timer = setTimeout(start, code === SERVED_ALREADY ? LOOK_AGAIN_MS : again);
    });
  };
  start();
  return {
    close: async () => {
      isClosing = true;
      clearTimeout(timer);
      const running = child;
      if (!running) return;
      const ended = new Promise((done) => running.once('exit', done));
      running.stdin!.end();
      // What it was doing is done again at its next start.
      const last = setTimeout(() => running.kill('SIGKILL'), PATIENCE_MS);
      await ended;
      clearTimeout(last);
    },
  };
}
