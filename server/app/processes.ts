/**
 * Several servers on one machine that listen together (node:cluster): whichever of them is free takes the next connection.
 * They share the database and the data folder and nothing else, as servers on several machines do; the first one alone
 * prepares what must be prepared once. One that ends by itself is started again, and its spool is taken over by the others.
 */
import cluster, { type Worker } from 'node:cluster';
import type { Logger } from 'pino';

/** After its end; twice as long each time that one ends early. */
const START_AGAIN_MS = 1000;
const MAX_START_AGAIN_MS = 30_000;
/** Longer than a server's own orderly end. */
const PATIENCE_MS = 10_000;

interface Listening {
  listening: string;
}
const isListening = (message: unknown): message is Listening =>
  typeof message === 'object' && message !== null && 'listening' in message;

export interface Processes {
  /** What the first one says of its ports. */
  listening: string;
  close: () => Promise<void>;
}

/** Ends with the first one's exit code where that one cannot start; it has said why. */
export async function startProcesses(count: number, log: Logger): Promise<Processes> {
  // Dealt out by this process in turn, a connection that a dying server was just given would never be answered, nor ended.
  cluster.schedulingPolicy = cluster.SCHED_NONE;
  const all = new Group(log);
  const listening = await all.startOne();
  await Promise.all(Array.from({ length: count - 1 }, () => all.startOne()));
  return { listening, close: () => all.close() };
}

/** Whoever has started this server is told; alone, on the standard output: one line, so that it needs no parser. */
export function sayListening(line: string): void {
  if (process.send && cluster.isWorker) process.send({ listening: line } satisfies Listening);
  else process.stdout.write(`${line}\n`);
}

class Group {
  private isClosing = false;
  private readonly running = new Set<Worker>();
  private again = START_AGAIN_MS;

  constructor(private readonly log: Logger) {}

  /** Resolves once it listens. */
  startOne(): Promise<string> {
    return new Promise((resolve) => {
      const began = performance.now();
      // This process watches over the standard input; and there is one numbers process for all.
      const worker = cluster.fork({ TRACHEON_ENDS_WITH_STDIN: '' });
      this.running.add(worker);
      let hasListened = false;
      worker.on('message', (message: unknown) => {
        if (!isListening(message)) return;
        hasListened = true;
        resolve(message.listening);
      });
      worker.on('exit', (code, signal) => {
        this.running.delete(worker);
        if (this.isClosing) return;
        // At the start of all: there is no use in another try.
        if (!hasListened && this.again === START_AGAIN_MS && this.running.size === 0) process.exit(code || 1);
        this.log.error({ code, signal }, 'a server process ended; it is started again');
        this.again = performance.now() - began > MAX_START_AGAIN_MS ? START_AGAIN_MS : this.again;
        setTimeout(() => void (this.isClosing || this.startOne().then(resolve)), this.again);
        this.again = Math.min(2 * this.again, MAX_START_AGAIN_MS);
      });
    });
  }

  async close(): Promise<void> {
    this.isClosing = true;
    const ends = [...this.running].map(
      (worker) =>
        new Promise<void>((done) => {
          const last = setTimeout(() => worker.process.kill('SIGKILL'), PATIENCE_MS);
          worker.once('exit', () => {
            clearTimeout(last);
            done();
          });
          worker.process.kill('SIGTERM');
        }),
    );
    await Promise.all(ends);
  }
}
