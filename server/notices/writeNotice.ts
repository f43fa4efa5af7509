/** A notice, kept in the transaction of what it tells, with the e-mails and the webhook call that tell it outside. */
import type { Transaction } from 'sequelize';
import { ulid } from 'ulid';
import type { Models } from '../db/models.ts';
import { keepSends, type NewSend } from './keepSends.ts';

export interface NewNotice {
  deskId: string;
  /** null: no watch of a member's found it. */
  watchId: string | null;
  title: string;
  text: string;
  /** The screen on which it is seen and mended. */
  to: string;
  /** Members who get an e-mail. */
  mailTo: readonly string[];
  webhook: boolean;
}
/** What is sent of a notice. */
export interface NoticePayload {
  title: string;
  text: string;
  to: string;
  watchId: string | null;
  at: string;
}

export async function writeNotice(
  models: Models,
  transaction: Transaction,
  notice: NewNotice,
  nowMs: number,
): Promise<void> {
  const id = ulid(nowMs);
  const { deskId, watchId, title, text, to } = notice;
  await models.sequelize.query(
    `INSERT INTO notices (id, desk_id, watch_id, at, title, text, to_path)
     VALUES (:id, :deskId, :watchId, :at, :title, :text, :to)`,
    { replacements: { id, deskId, watchId, at: new Date(nowMs), title, text, to }, transaction },
  );
  const payload: NoticePayload = { title, text, to, watchId, at: new Date(nowMs).toISOString() };
  const [rows] = await models.sequelize.query(
    `SELECT 'mail' AS kind, m.id AS target, m.email AS shown FROM memberships s JOIN members m ON m.id = s.member_id
       WHERE s.desk_id = :deskId AND s.member_id IN (:mailTo)
     UNION ALL SELECT 'webhook', '', webhook_url FROM notice_settings
       WHERE desk_id = :deskId AND webhook_url <> '' AND :webhook::boolean`,
    // An empty list would be no SQL.
    { replacements: { deskId, mailTo: ['', ...notice.mailTo], webhook: notice.webhook }, transaction },
  );
  const sends = (rows as { kind: 'mail' | 'webhook'; target: string; shown: string }[]).map(
    ({ kind, target, shown }): NewSend => ({ id: ulid(nowMs), kind, target, shownTo: shown, title, payload }),
  );
  await keepSends(models, transaction, deskId, sends, nowMs);
}
