/** What is to be sent, kept in the transaction of what it is about. */
import type { Transaction } from 'sequelize';
import type { SendKind } from '@tracheon/core/contract';
import type { Models } from '../db/models.ts';

export interface NewSend {
  id: string;
  kind: SendKind;
  target: string;
  shownTo: string;
  title: string;
  payload: object;
}

export async function keepSends(
  models: Models,
  transaction: Transaction,
  deskId: string,
  sends: readonly NewSend[],
  nowMs: number,
): Promise<void> {
  if (sends.length === 0) return;
  await models.sequelize.query(
    `INSERT INTO notice_sends (id, desk_id, kind, target, shown_to, title, payload, made_at, next_try_at)
     SELECT s.id, :deskId, s.kind, s.target, s."shownTo", s.title, s.payload, :at, now()
     FROM json_to_recordset(:sends) AS s (id text, kind text, target text, "shownTo" text, title text, payload jsonb)`,
    { replacements: { deskId, at: new Date(nowMs), sends: JSON.stringify(sends) }, transaction },
  );
}
