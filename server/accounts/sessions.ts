/**
 * Sessions as their member sees them, and their ends: by the member, by a role that was lowered, by a password that was
 * changed, and after 30 days whatever happens. Streams end with their session; see stream/news.ts.
 */
import type { Pool } from 'pg';
import type { Transaction } from 'sequelize';
import type { Models } from '../db/models.ts';
import { readAgent } from '../capture/visitor.ts';
import type { SessionRow } from '@tracheon/core/contract';

/** From signing in; a session in use does not live longer either. */
export const SESSION_DAYS = 30;
const SESSION_MS = SESSION_DAYS * 86_400_000;

export interface SessionInfo {
  id: string;
  startedMs: number;
  seenMs: number;
  agent: string;
  addressPrefix: string;
}

/** Sessions that were begun before this was kept count as over. */
export const isOver = (info: Pick<SessionInfo, 'startedMs'> | undefined, nowMs: number): boolean =>
  info === undefined || nowMs - info.startedMs >= SESSION_MS || nowMs < info.startedMs - SESSION_MS;

export async function listSessions(pool: Pool, memberId: string, currentSid: string): Promise<SessionRow[]> {
  const { rows } = await pool.query<{ sid: string; info: SessionInfo | null }>(
    `SELECT sid, sess->'info' AS info FROM session WHERE sess->>'memberId' = $1 AND expire > now()`,
    [memberId],
  );
  return rows
    .flatMap(({ sid, info }) => (info ? [{ sid, info }] : []))
    .sort((a, b) => b.info.seenMs - a.info.seenMs)
    .map(({ sid, info }) => ({
      id: info.id,
      startedAt: new Date(info.startedMs).toISOString(),
      seenAt: new Date(info.seenMs).toISOString(),
      agent: named(info.agent),
      addressPrefix: info.addressPrefix,
      isCurrent: sid === currentSid,
    }));
}

function named(text: string): string {
  const { browser, os, device } = readAgent(text);
  return browser === ''
    ? text
    : [browser, [os, device].filter(Boolean).join(', ')].filter(Boolean).join(' on ');
}

/**
 * By an update alone: saved with the request, a session that was ended meanwhile would be there again.
 */
export async function noteSeen(pool: Pool, sid: string, nowMs: number): Promise<void> {
  await pool.query(
    `UPDATE session SET sess = jsonb_set(sess::jsonb, '{info,seenMs}', to_jsonb($2::float8))::json WHERE sid = $1`,
    [sid, nowMs],
  );
}

export interface WhoseSessions {
  memberId: string;
  /** Those on this desk only. */
  deskId?: string;
  /** One by its own ID. */
  id?: string;
}

/** Returns how many ended. */
export async function endSessions(pool: Pool, { memberId, deskId, id }: WhoseSessions): Promise<number> {
  const done = await pool.query(
    `DELETE FROM session WHERE sess->>'memberId' = $1 AND ($2 = '' OR sess->>'deskId' = $2)
       AND ($3 = '' OR sess->'info'->>'id' = $3)`,
    [memberId, deskId ?? '', id ?? ''],
  );
  return done.rowCount ?? 0;
}

/** Within a transaction that changes the member's password; `keptSid` may be empty. */
export async function endOtherSessions(
  models: Models,
  memberId: string,
  keptSid: string,
  transaction: Transaction,
): Promise<void> {
  await models.sequelize.query(
    `DELETE FROM session WHERE sess->>'memberId' = :memberId AND sid <> :keptSid`,
    {
      replacements: { memberId, keptSid },
      transaction,
    },
  );
}
