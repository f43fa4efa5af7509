/**
 * News for open browsers: which lists of which desk have moved. Gathered for NEWS_DELAY_MS, sent through PostgreSQL
 * (NOTIFY), so that a browser hears of what any process did. A lost notice costs nothing but freshness.
 */
import type { Response } from 'express';
import type { Pool } from 'pg';
import { SESSION_DAYS } from '../accounts/sessions.ts';
import { newsTopics, type HealthNews, type StreamNews } from '@tracheon/core/contract';

export const NEWS_CHANNEL = 'tracheon_news';
const NEWS_DELAY_MS = 250;
/** Comment lines that keep proxies from closing an idle stream. */
const HEARTBEAT_MS = 20_000;
type Topic = StreamNews['topics'][number];

/** Whose stream it is, and by what they were signed in: one of `sid` and `tokenId` is empty. */
export interface Listener {
  deskId: string;
  memberId: string;
  sid: string;
  tokenId: string;
}
interface SignedOut {
  signedOut: string;
}

const healthLine = (state: HealthNews): string => `event: health\ndata: ${JSON.stringify(state)}\n\n`;

export class NewsDesk {
  private pending = new Map<string, Set<Topic>>();
  private timer: NodeJS.Timeout | null = null;
  private health: HealthNews | null = null;
  private readonly listeners = new Map<Response, Listener>();
  private readonly heartbeat: NodeJS.Timeout;

  /** `onNews` hears what any process has done. */
  constructor(
    private readonly pool: Pool,
    private readonly onNews: (topics: readonly Topic[]) => void = () => undefined,
  ) {
    this.heartbeat = setInterval(() => {
      for (const res of this.listeners.keys()) res.write(': still here\n\n');
      // Sessions and tokens also end by their age.
      void this.endSignedOut(() => true);
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
    const news = JSON.parse(payload) as StreamNews | SignedOut;
    if ('signedOut' in news) return void this.endSignedOut((l) => l.memberId === news.signedOut);
    this.onNews(news.topics);
    for (const [res, { deskId }] of this.listeners)
      if (deskId === news.deskId) res.write(`data: ${payload}\n\n`);
  }

  /** Nobody listened to the channel for a while: whoever watches looks at everything again. */
  mayHaveMissed(): void {
    for (const [res, { deskId }] of this.listeners)
      res.write(`data: ${JSON.stringify({ deskId, topics: [...newsTopics] } satisfies StreamNews)}\n\n`);
  }

  /** Something of the member has ended: every process looks at the streams that it has open for them. */
  async signedOut(memberId: string): Promise<void> {
    await this.pool
      .query('SELECT pg_notify($1, $2)', [
        NEWS_CHANNEL,
        JSON.stringify({ signedOut: memberId } satisfies SignedOut),
      ])
      .catch(() => undefined);
  }

  /** Ends the streams whose session, token or membership is gone. While the database is away nobody is thrown out. */
  private async endSignedOut(which: (listener: Listener) => boolean): Promise<void> {
    const asked = [...this.listeners].filter(([, l]) => which(l));
    if (asked.length === 0) return;
    const column = (pick: (l: Listener) => string): string[] => asked.map(([, l]) => pick(l));
    const { rows } = await this.pool
      .query<{ n: number }>(
        `SELECT l.n::int FROM unnest($1::text[], $2::text[], $3::text[], $4::text[]) WITH ORDINALITY AS l (sid, token, member, desk, n)
         WHERE NOT EXISTS (SELECT 1 FROM memberships m WHERE m.member_id = l.member AND m.desk_id = l.desk)
           OR (l.token = '' AND NOT EXISTS (SELECT 1 FROM session s WHERE s.sid = l.sid AND s.expire > now()
                 AND s.sess->>'deskId' = l.desk
                 AND (s.sess->'info'->>'startedMs')::float8 > extract(epoch FROM now() - interval '${SESSION_DAYS} days') * 1000))
           OR (l.token <> '' AND NOT EXISTS (SELECT 1 FROM api_tokens t WHERE t.id = l.token
                 AND (t.expires_at IS NULL OR t.expires_at > now())))`,
        [column((l) => l.sid), column((l) => l.tokenId), column((l) => l.memberId), column((l) => l.deskId)],
      )
      .catch(() => ({ rows: [] }));
    for (const { n } of rows) asked[n - 1]![0].end();
  }

  /** How this server stands; not through the database, since that may be what is away. */
  tellHealth(state: HealthNews): void {
    this.health = state;
    for (const res of this.listeners.keys()) res.write(healthLine(state));
  }

  get openStreams(): number {
    return this.listeners.size;
  }

  open(res: Response, listener: Listener): void {
    res.writeHead(200, {
      'Content-Type': 'text/event-stream',
      'Cache-Control': 'no-store',
      'X-Accel-Buffering': 'no',
    });
    res.write('retry: 2000\n\n');
    if (this.health) res.write(healthLine(this.health));
    this.listeners.set(res, listener);
    res.on('close', () => this.listeners.delete(res));
  }

  close(): void {
    clearInterval(this.heartbeat);
    if (this.timer) clearTimeout(this.timer);
    for (const res of this.listeners.keys()) res.end();
  }
}
