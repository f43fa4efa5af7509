/**
 * Keeps the snapshot current: LISTEN on a direct connection, the version polled as well, since a notice can be lost
 * with its connection. A change is live within a second. Each one that was loaded is handed on, to be kept on disk.
 */
import pg from 'pg';
import { compileSnapshot, emptySnapshot, type RawConfiguration, type Snapshot } from '../capture/snapshot.ts';
import { configurationVersion, loadConfiguration } from '../parts/loadConfiguration.ts';
import { CONFIGURATION_CHANNEL } from '../db/transaction.ts';
import { NEWS_CHANNEL } from '../stream/news.ts';

const POLL_MS = 500;
const RECONNECT_MS = 1000;

export class LiveSnapshot {
  current: Snapshot = emptySnapshot;
  private listener: pg.Client | null = null;
  private poll: NodeJS.Timeout | null = null;
  private again: NodeJS.Timeout | null = null;
  private loading: Promise<void> | null = null;
  private closed = false;

  constructor(
    private readonly pool: pg.Pool,
    private readonly url: string,
    private readonly onNews: (payload: string) => void,
    private readonly onTrouble: (error: unknown) => void,
    private readonly onUnloadable: (error: unknown) => void,
    private readonly onLoaded: (raw: RawConfiguration) => void,
  ) {}

  /** What visits are answered from until the database is back; `start` then loads anew whatever its number is. */
  useKept(raw: RawConfiguration): void {
    this.current = compileSnapshot(raw, emptySnapshot);
  }

  async start(): Promise<void> {
    await this.reload();
    void this.listen();
    this.poll = setInterval(() => void this.check(), POLL_MS);
  }

  async close(): Promise<void> {
    this.closed = true;
    if (this.poll) clearInterval(this.poll);
    if (this.again) clearTimeout(this.again);
    await this.listener?.end().catch(() => undefined);
  }

  private async check(): Promise<void> {
    try {
      if ((await configurationVersion(this.pool)) === this.current.version) return;
    } catch {
      // The database is away; the last good snapshot goes on, and the next poll asks again.
      return;
    }
    // Here it answered: what fails now is the configuration itself, and is said.
    await this.reload().catch(this.onUnloadable);
  }

  private reload(): Promise<void> {
    this.loading ??= loadConfiguration(this.pool)
      .then((raw) => {
        this.current = compileSnapshot(raw, this.current);
        this.onLoaded(raw);
      })
      .finally(() => (this.loading = null));
    return this.loading;
  }

  private async listen(): Promise<void> {
    if (this.closed) return;
    const client = new pg.Client({
      connectionString: this.url,
      application_name: 'tracheon listen',
      keepAlive: true,
    });
    client.on('notification', ({ channel, payload }) => {
      if (channel === NEWS_CHANNEL) this.onNews(payload ?? '');
      else void this.check();
    });
    client.on('error', () => undefined);
    client.on('end', () => {
      // A connection that failed may end twice: one try waits, not two.
      if (this.again) clearTimeout(this.again);
      if (!this.closed) this.again = setTimeout(() => void this.listen(), RECONNECT_MS);
    });
    try {
      await client.connect();
      // Closed while it was connecting: nobody would end it any more.
      if (this.closed) return void (await client.end());
      await client.query(`LISTEN ${CONFIGURATION_CHANNEL}; LISTEN ${NEWS_CHANNEL}`);
      this.listener = client;
    } catch (error) {
      this.onTrouble(error);
      await client.end().catch(() => undefined);
    }
  }
}
