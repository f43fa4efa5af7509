/** Where a desk's notices go. What its webhook is signed by is made once, and kept encrypted. */
import { randomBytes } from 'node:crypto';
import type { Pool } from 'pg';
import type { NoticeSettings, NoticeSettingsInput } from '@tracheon/core/contract';
import { seal, unseal } from '../secrets/sealing.ts';

interface Row {
  webhook_url: string;
  mail_to: string[];
  webhook: boolean;
  key_id: string;
  sealed: Buffer;
}
const placeOf = (deskId: string): string => `${deskId}|webhook`;

async function rowOf(pool: Pool, serverSecret: string, deskId: string): Promise<Row> {
  const { keyId, sealed } = seal(serverSecret, placeOf(deskId), randomBytes(24).toString('base64url'));
  await pool.query(
    'INSERT INTO notice_settings (desk_id, key_id, sealed) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING',
    [deskId, keyId, sealed],
  );
  const { rows } = await pool.query<Row>('SELECT * FROM notice_settings WHERE desk_id = $1', [deskId]);
  return rows[0]!;
}

/** The server's key may have changed: then a new one is made, and the other side has to be told. */
async function secretOf(pool: Pool, serverSecret: string, deskId: string, row: Row): Promise<string> {
  const secret = unseal(serverSecret, placeOf(deskId), { keyId: row.key_id, sealed: row.sealed });
  if (secret !== null) return secret;
  const made = randomBytes(24).toString('base64url');
  const { keyId, sealed } = seal(serverSecret, placeOf(deskId), made);
  await pool.query('UPDATE notice_settings SET key_id = $2, sealed = $3 WHERE desk_id = $1', [
    deskId,
    keyId,
    sealed,
  ]);
  return made;
}

export async function readNoticeSettings(
  pool: Pool,
  { serverSecret, canMail }: { serverSecret: string; canMail: boolean },
  deskId: string,
  canEdit: boolean,
): Promise<NoticeSettings> {
  const row = await rowOf(pool, serverSecret, deskId);
  return {
    webhookUrl: row.webhook_url,
    mailTo: row.mail_to,
    webhook: row.webhook,
    webhookSecret: canEdit ? await secretOf(pool, serverSecret, deskId, row) : null,
    canMail,
  };
}

export async function saveNoticeSettings(
  pool: Pool,
  serverSecret: string,
  deskId: string,
  { webhookUrl, mailTo, webhook }: NoticeSettingsInput,
): Promise<void> {
  await rowOf(pool, serverSecret, deskId);
  await pool.query(
    'UPDATE notice_settings SET webhook_url = $2, mail_to = $3, webhook = $4 WHERE desk_id = $1',
    [deskId, webhookUrl, JSON.stringify(mailTo), webhook],
  );
}

export async function webhookSecretOf(
  pool: Pool,
  serverSecret: string,
  deskId: string,
): Promise<{ url: string; secret: string }> {
  const row = await rowOf(pool, serverSecret, deskId);
  return { url: row.webhook_url, secret: await secretOf(pool, serverSecret, deskId, row) };
}
