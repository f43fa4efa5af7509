/** pg pools with one set of settings. int8 stays text (it is money); dates stay ISO text. */
import type { Socket } from 'node:net';
import pg from 'pg';
import { copyRows, type Copy } from './copyRows.ts';
import { planSetting } from './plans.ts';

const DATE_OID = 1082;
pg.types.setTypeParser(DATE_OID, (text) => text);

/** Waiting longer than this for a connection is an answer: the database is away. */
export const CONNECT_TIMEOUT_MS = 5000;
/** Screens wait longer for their turn: on a busy machine all connections are in use for a while, and the database is there. */
export const TURN_TIMEOUT_MS = 15_000;
export const STATEMENT_TIMEOUT_MS = 30_000;
/** Longer than the server's own limit: reached only when the server has fallen silent, and then the connection is given up. */
export const SILENCE_MS = 35_000;

export function openPool(
  url: string,
  name: string,
  max: number,
  silenceMs = SILENCE_MS,
  {
    settings = {},
    ...more
  }: {
    pipeline?: boolean;
    connectionTimeoutMillis?: number;
    /** Of each connection, beside the longest time of a statement. */
    settings?: Readonly<Record<string, string>>;
  } = {},
): pg.Pool {
  const set = settingsText({
    statement_timeout: String(Math.min(STATEMENT_TIMEOUT_MS, silenceMs)),
    ...settings,
  });
  const pool = new pg.Pool({
    connectionString: url,
    max,
    application_name: `tracheon ${name}`,
    connectionTimeoutMillis: CONNECT_TIMEOUT_MS,
    query_timeout: silenceMs,
    keepAlive: true,
    ...more,
    // Before anybody gets it.
    verify: (client, done) => void client.query(set).then(() => done(), done),
  });
  // An idle connection that breaks must not take the process down; the next query tells the caller.
  pool.on('error', () => undefined);
  // Nor one that breaks between two queries of a transaction, when it is nobody's idle connection.
  pool.on('connect', (client) => client.on('error', () => undefined));
  return pool;
}

/** Asked for on the connection, and not with its start: PgBouncer lets no settings through there. */
export const settingsText = (settings: Readonly<Record<string, string>>): string =>
  Object.entries(settings)
    .map(([name, value]) => `SET ${name} = ${value}`)
    .join('; ');

/** Events and bulk writes: runs `work` in one transaction on one connection. Records have `inTransaction` of transaction.ts. */
export async function inEventTransaction<T>(
  pool: pg.Pool,
  work: (client: pg.PoolClient) => Promise<T>,
): Promise<T> {
  const client = await pool.connect();
  let broken: Error | undefined;
  try {
    await client.query('BEGIN');
    const result = await work(client);
    await client.query('COMMIT');
    return result;
  } catch (error) {
    await client.query('ROLLBACK').catch((e: unknown) => (broken = e as Error));
    throw error;
  } finally {
    client.release(broken);
  }
}

/**
 * A pool for `inPipeline`. Judging looks single things up by their keys; on a new desk, whose tables have no statistics
 * yet, the planner would read them whole. When a plan is kept: see plans.ts.
 */
export const openPipelinedPool = (url: string, name: string, max: number, silenceMs = SILENCE_MS): pg.Pool =>
  openPool(url, name, max, silenceMs, {
    pipeline: true,
    settings: {
      enable_seqscan: 'off',
      enable_bitmapscan: 'off',
      plan_cache_mode: 'force_custom_plan',
      jit: 'off',
    },
  });

/** What can read: a pool, or the connection of a transaction. */
export type Reads = Pick<pg.PoolClient, 'query'>;

/**
 * A transaction on a pipelined connection: what is asked goes out at once, in order, without waiting for what was asked
 * before. A judgement asks twenty things; one after the other that is twenty round trips, this way it is four.
 */
export interface Pipelined extends Reads {
  /** Sent now; whether it succeeded is known at the latest when the transaction ends, which fails with it. */
  write: (text: string, values: unknown[]) => void;
  /** As `write`, of rows that are new. */
  copy: (copies: readonly Copy[]) => void;
}

/**
 * Runs `work` in one transaction on one connection of a pool that was opened with `pipeline`. `isTrial`: nothing of it is
 * kept; what it would do is looked at from within.
 */
export async function inPipeline<T>(
  pool: pg.Pool,
  work: (tx: Pipelined) => Promise<T>,
  { isTrial = false } = {},
): Promise<T> {
  const client = await pool.connect();
  const writes: Promise<unknown>[] = [];
  const ask = together(client);
  // Looked at in the end; meanwhile a failure must not count as nobody's.
  const later = (sent: Promise<unknown>): void => {
    sent.catch(() => undefined);
    writes.push(sent);
  };
  const send = (text: string, values: unknown[] = []): void => later(ask(text, values));
  const copy = (copies: readonly Copy[]): void => later(copyRows(client, copies));
  let broken: Error | undefined;
  const setting = planSetting(pool, client);
  try {
    if (setting !== null) send(setting);
    send('BEGIN');
    const result = await work({ query: ask as Reads['query'], write: send, copy });
    // After a write that failed this rolls back, and the failed write is what is thrown.
    send(isTrial ? 'ROLLBACK' : 'COMMIT');
    await Promise.all(writes);
    return result;
  } catch (error) {
    const settled = await Promise.allSettled(writes);
    await client.query('ROLLBACK').catch((e: unknown) => (broken = e as Error));
    // What came after a failed write only says that the transaction is aborted.
    const first = settled.find((s) => s.status === 'rejected');
    throw (error as { code?: unknown }).code === ABORTED && first ? first.reason : error;
  } finally {
    client.release(broken);
  }
}

/** Names of prepared statements by their text: each connection parses and plans a text once. Texts are the code's own, so few. */
const statementNames = new Map<string, string>();

/** Queries that are asked for in the same step leave in one packet. */
function together(client: pg.PoolClient): (text: string, values: unknown[]) => Promise<pg.QueryResult> {
  const { stream } = (client as unknown as { connection: { stream: Socket } }).connection;
  let corked = false;
  return (text, values) => {
    if (!corked) {
      corked = true;
      stream.cork();
      process.nextTick(() => {
        corked = false;
        stream.uncork();
      });
    }
    let name = statementNames.get(text);
    if (name === undefined) statementNames.set(text, (name = `judging ${statementNames.size}`));
    return client.query(values.length === 0 ? text : { name, text, values });
  };
}
const ABORTED = '25P02';

/** It is not what was asked that failed, but the way to the database. */
export function isAway(error: unknown): boolean {
  const { code = '', message = '' } = (error ?? {}) as { code?: unknown; message?: string };
  // Class 57P: shutting down; class 08: connection lost; 53300: no connection is left (PostgreSQL appendix A).
  return (
    /^(57P|08)|^(53300|ECONNREFUSED|ECONNRESET|ETIMEDOUT|EPIPE)$/.test(String(code)) ||
    /timeout exceeded when trying to connect|Connection terminated|Query read timeout/i.test(message)
  );
}
