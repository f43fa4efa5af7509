/**
 * Keeps the snapshot current: LISTEN on a direct connection, the versions polled as well, since a notice can be lost with its
 * connection. A change is live within a second. Only the desk that changed is loaded and compiled, and of it only what
 * changed; it is then handed on, to be kept on disk. A desk that cannot be loaded goes on as it was, and keeps no other waiting.
 */
import pg from 'pg';
import { CONFIGURATION_CHANNEL } from '../db/transaction.ts';
import { emptySnapshot, type DeskConfiguration, type Snapshot } from './compiled.ts';
import { compileDesk, type CompiledDesk } from './compileDesk.ts';
import { putDesk, takeDesk } from './joinDesks.ts';
import { configurationVersions, loadDesk } from './loadDesk.ts';

const POLL_MS = 500;
const RECONNECT_MS = 1000;

export interface LiveSnapshotEvents {
  /** Channels that somebody else listens to on the same connection. */
  notices: Readonly<Record<string, (payload: string) => void>>;
  /** The connection listens from here on; what was told before may have been missed. */
  onListening: () => void;
  onTrouble: (error: unknown) => void;
  onUnloadable: (deskId: string, error: unknown) => void;
  onLoaded: (raw: DeskConfiguration) => void;
}
interface Desk {
  raw: DeskConfiguration;
  compiled: CompiledDesk;
}

export class LiveSnapshot {
  current: Snapshot = emptySnapshot;
  private readonly desks = new Map<string, Desk>();
  /** Desks whose newest version could not be loaded, with the reason. */
  readonly unloadable = new Map<string, string>();
  private listener: pg.Client | null = null;
  private poll: NodeJS.Timeout | null = null;
  private again: NodeJS.Timeout | null = null;
  private checking: Promise<void> | null = null;
  private isAsked = false;
  private closed = false;

  constructor(
    private readonly pool: pg.Pool,
    private readonly url: string,
    private readonly events: LiveSnapshotEvents,
  ) {}

  /** What visits are answered from until the database is back; `start` then loads anew, whatever the versions are. */
  useKept(desks: readonly DeskConfiguration[]): void {
    for (const raw of desks) this.put(raw);
  }

  /** Throws when the database does not answer. */
  async start(): Promise<void> {
    const versions = await configurationVersions(this.pool);
    // What was kept on disk may come from another database, or from later than a restored one.
    for (const [deskId, { compiled }] of this.desks)
      if (!versions.has(deskId)) {
        this.current = takeDesk(this.current, compiled);
        this.desks.delete(deskId);
      }
    for (const deskId of versions.keys()) await this.reload(deskId, null);
    void this.listen();
    this.poll = setInterval(() => void this.check(), POLL_MS);
  }

  async close(): Promise<void> {
    this.closed = true;
    if (this.poll) clearInterval(this.poll);
    if (this.again) clearTimeout(this.again);
    await this.listener?.end().catch(() => undefined);
  }

  private put(raw: DeskConfiguration): void {
    const before = this.desks.get(raw.deskId)?.compiled ?? null;
    const compiled = compileDesk(raw, before);
    this.current = putDesk(this.current, before, compiled);
    this.desks.set(raw.deskId, { raw, compiled });
  }

  /** One look at a time; a notice that comes during one asks for another. */
  private check(): Promise<void> {
    this.isAsked = true;
    this.checking ??= this.look().finally(() => (this.checking = null));
    return this.checking;
  }

  private async look(): Promise<void> {
    while (this.isAsked && !this.closed) {
      this.isAsked = false;
      // While the database is away the last good snapshot goes on, and the next poll asks again.
      const versions = await configurationVersions(this.pool).catch(() => new Map<string, number>());
      for (const [deskId, version] of versions)
        if (this.current.versions.get(deskId) !== version) {
          const last = this.desks.get(deskId)?.raw ?? null;
          // A version that went back: the database was restored.
          await this.reload(deskId, last && last.version < version ? last : null);
        }
    }
  }

  private async reload(deskId: string, last: DeskConfiguration | null): Promise<void> {
    try {
      const raw = await loadDesk(this.pool, deskId, last);
      this.put(raw);
      this.unloadable.delete(deskId);
      this.events.onLoaded(raw);
    } catch (error) {
      // The versions were answered: what fails now is this desk's configuration, and is told as what it is.
      this.unloadable.set(deskId, (error as Error).message);
      this.events.onUnloadable(deskId, error);
    }
  }

  private async listen(): Promise<void> {
    if (this.closed) return;
    const client = new pg.Client({
      connectionString: this.url,
      application_name: 'tracheon listen',
      keepAlive: true,
    });
    client.on('notification', ({ channel, payload }) => {
      if (channel === CONFIGURATION_CHANNEL) void this.check();
      else this.events.notices[channel]?.(payload ?? '');
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
      for (const channel of [CONFIGURATION_CHANNEL, ...Object.keys(this.events.notices)])
        await client.query(`LISTEN ${channel}`);
      this.listener = client;
      this.events.onListening();
    } catch (error) {
      this.events.onTrouble(error);
      await client.end().catch(() => undefined);
    }
  }
}
