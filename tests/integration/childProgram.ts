/** A program of the project as a child process: its output, its end, and a way to wait for a line. */
import { spawn, type ChildProcess } from 'node:child_process';
import { createServer, type AddressInfo } from 'node:net';

export class ChildProgram {
  output = '';
  readonly ended: Promise<number | null>;
  private readonly child: ChildProcess;

  constructor(args: string[], environment: Record<string, string | undefined>) {
    // Nothing of this process's own settings may leak in and make a test pass.
    const inherited = Object.entries(process.env).filter(
      ([k]) => !/^(TRACHEON|DATABASE|NODE_OPTIONS|npm_|JEST)/.test(k),
    );
    this.child = spawn(process.execPath, args, {
      env: { ...Object.fromEntries(inherited), ...environment },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    for (const stream of [this.child.stdout!, this.child.stderr!])
      stream.on('data', (c: Buffer) => (this.output += String(c)));
    this.ended = new Promise((resolve) => this.child.once('close', (code) => resolve(code)));
  }
  signal(name: NodeJS.Signals): void {
    this.child.kill(name);
  }
  /** Resolves with the match once the output has it; rejects when the program ends before. */
  async says(pattern: RegExp, patienceMs = 180_000): Promise<RegExpExecArray> {
    const end = Date.now() + patienceMs;
    for (;;) {
      const match = pattern.exec(this.output);
      if (match) return match;
      if (this.child.exitCode !== null || Date.now() > end)
        throw new Error(`never said ${pattern}:\n${this.output}`);
      await new Promise((resolve) => setTimeout(resolve, 20));
    }
  }
  get pid(): number {
    return this.child.pid!;
  }
  get running(): boolean {
    return this.child.exitCode === null && this.child.signalCode === null;
  }
}

export const freePort = (host = '127.0.0.1'): Promise<number> =>
  new Promise((resolve, reject) => {
    const server = createServer().once('error', reject);
    server.listen(0, host, () => {
      const { port } = server.address() as AddressInfo;
      server.close(() => resolve(port));
    });
  });
