/** The server under test, started and killed again and again; remembers what its lives have told. */
import { ChildProgram } from '../integration/childProgram.ts';

export class TheServer {
  kills = 0;
  killsDuringLoad = 0;
  startsWithoutDatabase = 0;
  private spooledBefore = 0;
  private spooledNow = 0;
  private life: ChildProgram | null = null;
  private watching: NodeJS.Timeout | null = null;

  constructor(
    private readonly settings: Record<string, string>,
    private readonly desk: string,
  ) {}

  /** Rows that went to the spool over all lives, as their metrics said last. */
  get spooled(): number {
    return this.spooledBefore + this.spooledNow;
  }

  async start(): Promise<void> {
    this.life = new ChildProgram(['server/dist/server.mjs'], this.settings);
    await this.life.says(/^listening /m);
    if (this.life.output.includes('starting without the database')) this.startsWithoutDatabase += 1;
    this.watching = setInterval(() => void this.readMetrics().catch(() => undefined), 200);
  }

  async kill(): Promise<void> {
    const { life } = this;
    await this.readMetrics().catch(() => undefined);
    this.stopWatching();
    life!.signal('SIGKILL');
    await life!.ended;
    this.kills += 1;
    this.spooledBefore += this.spooledNow;
    this.spooledNow = 0;
    const said = (words: string): number => life!.output.split(words).length - 1;
    // It had begun with a file, and never came to say that it was done with it.
    if (said('"a spool file is loaded"') < said('"a spool file begins"')) this.killsDuringLoad += 1;
  }

  /** Killed as soon as it begins to load a file; false when it had none to load within `ms`. */
  async killWhileLoading(ms: number): Promise<boolean> {
    const begins = await this.life!.says(/"a spool file begins"/, ms).then(
      () => true,
      () => false,
    );
    if (begins) await this.kill();
    return begins;
  }

  /** An orderly end. */
  async stop(): Promise<number | null> {
    this.stopWatching();
    this.life!.signal('SIGTERM');
    return this.life!.ended;
  }

  /** The last words of the life at hand, for whoever must find out what went wrong. */
  get lastWords(): string {
    return this.life?.output.slice(-3000) ?? '';
  }

  private stopWatching(): void {
    if (this.watching) clearInterval(this.watching);
    this.watching = null;
  }

  private async readMetrics(): Promise<void> {
    const text = await (await fetch(`${this.desk}/metrics`, { signal: AbortSignal.timeout(500) })).text();
    const all = [...text.matchAll(/tracheon_rows_total\{kind="\w+",fate="spooled"\} (\d+)/g)];
    this.spooledNow = all.reduce((sum, [, n]) => sum + Number(n), 0);
  }
}
