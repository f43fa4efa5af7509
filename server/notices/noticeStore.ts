/** Notices of a desk, who has read them, and what was sent of them. */
import type { Pool } from 'pg';
import type { Notice, NoticeCount, NoticeSend } from '@tracheon/core/contract';

const SHOWN = 200;

/** `isRead`: by this member. */
export async function listNotices(pool: Pool, deskId: string, memberId: string): Promise<Notice[]> {
  const { rows } = await pool.query<{
    id: string;
    at: Date;
    title: string;
    text: string;
    watch_id: string | null;
    to_path: string;
    is_read: boolean;
  }>(
    `SELECT n.*, EXISTS (SELECT 1 FROM notice_reads r WHERE r.notice_id = n.id AND r.member_id = $2) AS is_read
     FROM notices n WHERE n.desk_id = $1 ORDER BY n.id DESC LIMIT ${SHOWN}`,
    [deskId, memberId],
  );
  return rows.map((n) => ({
    id: n.id,
    at: n.at.toISOString(),
    title: n.title,
    text: n.text,
    watchId: n.watch_id,
    to: n.to_path,
    isRead: n.is_read,
  }));
}

/** Notices older than this are not counted as unread: nobody reads them any more. */
const UNREAD_DAYS = 14;
export async function countNotices(
  pool: Pool,
  deskId: string,
  memberId: string,
  nowMs: number,
): Promise<NoticeCount> {
  const { rows } = await pool.query<NoticeCount>(
    `SELECT (SELECT count(*)::int FROM notices n WHERE n.desk_id = $1 AND n.at > $3
         AND NOT EXISTS (SELECT 1 FROM notice_reads r WHERE r.notice_id = n.id AND r.member_id = $2)) AS unread,
       (SELECT count(*)::int FROM watch_findings WHERE desk_id = $1 AND state = 'asked' AND ended_at IS NULL) AS asked`,
    [deskId, memberId, new Date(nowMs - UNREAD_DAYS * 86_400_000)],
  );
  return rows[0]!;
}

export const readNotices = (
  pool: Pool,
  { deskId, memberId }: { deskId: string; memberId: string },
  ids: readonly string[],
): Promise<unknown> =>
  pool.query(
    `INSERT INTO notice_reads (notice_id, member_id) SELECT id, $3 FROM notices WHERE desk_id = $1 AND id = ANY ($2)
     ON CONFLICT DO NOTHING`,
    [deskId, ids, memberId],
  );

const isOpen = (state: NoticeSend['state']): boolean => state === 'waiting' || state === 'sending';

export async function listSends(pool: Pool, deskId: string): Promise<NoticeSend[]> {
  const { rows } = await pool.query<{
    id: string;
    kind: NoticeSend['kind'];
    shown_to: string;
    title: string;
    state: NoticeSend['state'];
    tries: number;
    made_at: Date;
    next_try_at: Date;
    result: string;
  }>(`SELECT * FROM notice_sends WHERE desk_id = $1 ORDER BY id DESC LIMIT ${SHOWN}`, [deskId]);
  return rows.map((r) => ({
    id: r.id,
    kind: r.kind,
    to: r.shown_to,
    title: r.title,
    state: r.state,
    tries: r.tries,
    at: r.made_at.toISOString(),
    nextTryAt: isOpen(r.state) ? r.next_try_at.toISOString() : null,
    result: r.result,
  }));
}

const KEEP_DAYS = 90;
export async function dropOldNotices(pool: Pool, nowMs: number): Promise<void> {
  const before = new Date(nowMs - KEEP_DAYS * 86_400_000);
  await pool.query('DELETE FROM notices WHERE at < $1', [before]);
  await pool.query(`DELETE FROM notice_sends WHERE made_at < $1 AND state NOT IN ('waiting', 'sending')`, [
    before,
  ]);
}
