/**
 * Sends what stands in the outbox, at least once, in order per conversion and destination, which is a source or a partner. A row is claimed with `for update skip
 * locked` and its next try moved ahead before the request leaves, so a process that dies mid-call leaves a row that
 * is tried again. Every attempt is logged. After GIVE_UP_MS, or on an answer that no retry will change, it is given up.
 *
 * Each destination has its own lane: so many requests at once, so many a second, and a breaker that lets one through at a time
 * while it does not answer. One that is dead holds up its own postbacks and nobody else's.
 */
import { setTimeout as pause } from 'node:timers/promises';
import type { Pool } from 'pg';
import type { BodyKind, PostbackMethod } from '@tracheon/core/contract';
import { bodyTypes } from '@tracheon/core/links';
import { inEventTransaction } from '../db/pools.ts';
import { MAX_SOURCES_AT_ONCE } from '../limits/limits.ts';
import { Lanes } from './lanes.ts';
import { Refused, type Call } from './outgoing.ts';
import { delayBefore, GIVE_UP_MS, mayRetry } from './retries.ts';

/** A claimed row is nobody else's for this long; longer than any request may take. */
const CLAIM_SECONDS = 30;

interface Due {
  id: string;
  desk_id: string;
  destination_id: string;
  /** Never `pixel`: a browser fetches those. */
  method: PostbackMethod;
  url: string;
  body: string;
  tries: number;
  trying_since: Date;
}
export interface SenderDeps {
  pool: Pool;
  call: Call;
  /** What the source wants besides, with secrets in plain; throws a sentence when one of them can't be read. */
  headersOf: (deskId: string, sourceId: string) => Promise<Record<string, string>>;
  random: () => number;
  now: () => number;
  onAttempt: (deskId: string, delivered: boolean) => void;
  /** An attempt whose result could not be written: the row is tried again. */
  onError: (error: unknown) => void;
}

export class Sender {
  private readonly lanes = new Lanes();
  private readonly inFlight = new Set<Promise<void>>();
  private claiming: Promise<void> | null = null;
  private wanted = false;
  private closed = false;

  constructor(private readonly deps: SenderDeps) {}

  /** Claims what is due and sends it without waiting for the answers; call it every now and then. */
  async send(): Promise<void> {
    await this.claim();
    await this.giveUpBehindBreakers();
  }

  /** Waits for what has left; nothing more leaves. */
  async close(): Promise<void> {
    this.closed = true;
    await this.claiming?.catch(() => undefined);
    await Promise.all(this.inFlight);
  }

  private claim(): Promise<void> {
    if (this.closed) return Promise.resolve();
    if (this.claiming) {
      this.wanted = true;
      return this.claiming;
    }
    this.claiming = this.claimOnce().finally(() => {
      this.claiming = null;
      // A place became free meanwhile.
      if (this.wanted) {
        this.wanted = false;
        void this.claim().catch(this.deps.onError);
      }
    });
    return this.claiming;
  }

  private async claimOnce(): Promise<void> {
    const { pool, now } = this.deps;
    const { rows: waiting } = await pool.query<{ id: string }>(DESTINATIONS_WITH_WORK);
    const free = this.lanes.free(
      waiting.map((r) => r.id),
      now(),
    );
    if (free.size === 0) return;
    const due = await inEventTransaction(pool, async (client) => {
      const { rows } = await client.query<Due>(DUE, [[...free.keys()], [...free.values()]]);
      await client.query(
        `UPDATE outbox SET tries = tries + 1, next_try_at = now() + make_interval(secs => $2) WHERE id = ANY ($1)`,
        [rows.map((r) => r.id), CLAIM_SECONDS],
      );
      return rows;
    });
    const taken = new Map<string, number>();
    for (const row of due) {
      taken.set(row.destination_id, (taken.get(row.destination_id) ?? 0) + 1);
      this.begin(row);
    }
    for (const [source, n] of taken) this.lanes.setMore(source, n === free.get(source));
  }

  private begin(row: Due): void {
    const { onError, now } = this.deps;
    this.lanes.began(row.destination_id, now());
    const done = attempt(this.deps, row).then(
      (answered) => this.lanes.ended(row.destination_id, answered, now()),
      (error: unknown) => {
        this.lanes.ended(row.destination_id, true, now());
        onError(error);
      },
    );
    const gone = done.finally(() => {
      this.inFlight.delete(gone);
      if (this.lanes.hasMore(row.destination_id)) void this.claim().catch(onError);
    });
    this.inFlight.add(gone);
  }

  /** One request at a time would take days to give up thousands: behind a breaker, age alone decides. */
  private async giveUpBehindBreakers(): Promise<void> {
    const { pool, now, onAttempt } = this.deps;
    const dead = this.lanes.broken();
    if (dead.length === 0) return;
    const { rows } = await pool.query<{ desk_id: string }>(
      `WITH old AS (
         UPDATE outbox SET state = 'gave_up' WHERE destination_id = ANY ($1) AND state = 'waiting' AND trying_since < $2
           AND next_try_at <= now() RETURNING id, desk_id),
       logged AS (
         INSERT INTO attempts (outbox_id, at, result, took_ms)
         SELECT id, now(), 'not called: it has not answered for a day', 0 FROM old)
       SELECT DISTINCT desk_id FROM old`,
      [dead, new Date(now() - GIVE_UP_MS)],
    );
    for (const { desk_id } of rows) onAttempt(desk_id, false);
  }
}

/** Sources and partners that have something to send, found by hopping over the index, however much each of them has. */
const DESTINATIONS_WITH_WORK = `
WITH RECURSIVE hop AS (
  (SELECT destination_id FROM outbox WHERE state = 'waiting' ORDER BY destination_id LIMIT 1)
  UNION ALL
  SELECT (SELECT o.destination_id FROM outbox o WHERE o.state = 'waiting' AND o.destination_id > hop.destination_id
          ORDER BY o.destination_id LIMIT 1) FROM hop WHERE hop.destination_id IS NOT NULL)
SELECT destination_id AS id FROM hop WHERE destination_id IS NOT NULL LIMIT ${MAX_SOURCES_AT_ONCE}`;

const DUE = `
SELECT o.* FROM unnest($1::text[], $2::int[]) AS s (destination_id, free)
CROSS JOIN LATERAL (
  SELECT id, desk_id, destination_id, method, url, body, tries, trying_since FROM outbox o
  WHERE o.destination_id = s.destination_id AND o.state = 'waiting' AND o.next_try_at <= now()
    AND NOT EXISTS (SELECT 1 FROM outbox e WHERE e.desk_id = o.desk_id AND e.conversion_id = o.conversion_id
                    AND e.destination_id = o.destination_id AND e.state = 'waiting' AND (e.seq, e.id) < (o.seq, o.id))
  ORDER BY o.next_try_at LIMIT s.free FOR UPDATE OF o SKIP LOCKED) o`;

const isPost = (method: PostbackMethod): method is BodyKind => method === 'form' || method === 'json';

/** Writings of a result, and the pause between them: together shorter than a claim. */
const WRITES = 3;
const PAUSE_MS = 1000;

/** A result that is not written makes the source get the same postback again: a busy database is asked once more. */
async function written(write: () => Promise<unknown>, left = WRITES): Promise<void> {
  try {
    await write();
  } catch (error) {
    if (left <= 1) throw error;
    await pause(PAUSE_MS);
    await written(write, left - 1);
  }
}

/** Whether the source answered at all; what it said is another matter. */
async function attempt(deps: SenderDeps, row: Due): Promise<boolean> {
  const started = deps.now();
  let httpStatus: number | null = null;
  let result: string;
  let refused = false;
  try {
    const headers = {
      ...(await deps.headersOf(row.desk_id, row.destination_id)),
      ...(isPost(row.method) ? { 'Content-Type': bodyTypes[row.method] } : {}),
      'Idempotency-Key': row.id,
      'User-Agent': 'Tracheon',
    };
    const body = isPost(row.method) ? row.body : undefined;
    ({ status: httpStatus } = await deps.call(row.url, headers, body));
    result = httpStatus >= 200 && httpStatus < 300 ? 'delivered' : `answered ${httpStatus}`;
  } catch (error) {
    refused =
      error instanceof Refused ||
      (error as { cause?: unknown }).cause instanceof Refused ||
      error instanceof TypeError;
    result =
      `${refused ? 'not called: ' : ''}${error instanceof Error ? error.message || error.name : String(error)}`.slice(
        0,
        300,
      );
  }
  const delivered = result === 'delivered';
  const late = deps.now() - row.trying_since.getTime() > GIVE_UP_MS;
  const state = delivered ? 'delivered' : refused || !mayRetry(httpStatus) || late ? 'gave_up' : 'waiting';
  const nextInSeconds = delayBefore(row.tries + 1, deps.random()) / 1000;
  const tookMs = deps.now() - started;
  await written(() =>
    // One statement: many sources answer at once, and receipts wait for the same connections.
    deps.pool.query(
      `WITH logged AS (
         INSERT INTO attempts (outbox_id, at, result, http_status, took_ms) VALUES ($1, $2, $3, $4, $5))
       UPDATE outbox SET state = $6, next_try_at = now() + make_interval(secs => $7),
         delivered_at = CASE WHEN $6 = 'delivered' THEN now() ELSE delivered_at END WHERE id = $1`,
      [row.id, new Date(started), result, httpStatus, tookMs, state, nextInSeconds],
    ),
  );
  deps.onAttempt(row.desk_id, delivered);
  return refused || (httpStatus !== null && httpStatus < 500 && httpStatus !== 429);
}
