/**
 * News for open browsers: which lists of which desk have moved. Gathered for NEWS_DELAY_MS, sent through PostgreSQL
 * (NOTIFY), so that a browser hears of what any process did. A lost notice costs nothing but freshness.
 */
import type { Response } from 'express';
import type { Pool } from 'pg';
import type { HealthNews, StreamNews } from '@tracheon/core/contract';

export const NEWS_CHANNEL = 'tracheon_news';
const NEWS_DELAY_MS = 250;
/** Comment lines that keep proxies from closing an idle stream. */
const HEARTBEAT_MS = 20_000;
type Topic = StreamNews['topics'][number];

const healthLine = (state: HealthNews): string => `event: health\ndata: ${JSON.stringify(state)}\n\n`;

export class NewsDesk {
  private pending = new Map<string, Set<Topic>>();
  private timer: NodeJS.Timeout | null = null;
  private health: HealthNews | null = null;
  private readonly listeners = new Map<Response, string>();
  private readonly heartbeat: NodeJS.Timeout;

  constructor(private readonly pool: Pool) {
    this.heartbeat = setInterval(() => {
      for (const res of this.listeners.keys()) res.write(': still here\n\n');
    }, HEARTBEAT_MS);
    this.heartbeat.unref();
  }

  tell(deskId: string, ...topics: Topic[]): void {
    const set = this.pending.get(deskId) ?? new Set();
    for (const t of topics) set.add(t);
    this.pending.set(deskId, set);
    this.timer ??= setTimeout(() => void this.publish(), NEWS_DELAY_MS);
  }

  private async publish(): Promise<void> {
    const batch = this.pending;
    this.pending = new Map();
    this.timer = null;
    for (const [deskId, topics] of batch)
      await this.pool
        .query('SELECT pg_notify($1, $2)', [
          NEWS_CHANNEL,
          JSON.stringify({ deskId, topics: [...topics] } satisfies StreamNews),
        ])
        .catch(() => undefined);
  }

  /** Called for every notice on NEWS_CHANNEL. */
  hear(payload: string): void {
    const news = JSON.parse(payload) as StreamNews;
    for (const [res, deskId] of this.listeners) if (deskId === news.deskId) res.write(`data: ${payload}\n\n`);
  }

  /** How this server stands; not through the database, since that may be what is away. */
  tellHealth(state: HealthNews): void {
    this.health = state;
    for (const res of this.listeners.keys()) res.write(healthLine(state));
  }

  get openStreams(): number {
    return this.listeners.size;
  }

  open(res: Response, deskId: string): void {
    res.writeHead(200, {
      'Content-Type': 'text/event-stream',
      'Cache-Control': 'no-store',
      'X-Accel-Buffering': 'no',
    });
    res.write('retry: 2000\n\n');
    if (this.health) res.write(healthLine(this.health));
    this.listeners.set(res, deskId);
    res.on('close', () => this.listeners.delete(res));
  }

  close(): void {
    clearInterval(this.heartbeat);
    if (this.timer) clearTimeout(this.timer);
    for (const res of this.listeners.keys()) res.end();
  }
}
