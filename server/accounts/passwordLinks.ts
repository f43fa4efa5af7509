/** A new password by a link that works once, for a day: an owner makes it and hands it over. Only its hash is kept. */
import { createHash, randomBytes } from 'node:crypto';
import type { Pool } from 'pg';
import { inTransaction } from '../db/pools.ts';
import { Problem } from '../problems/problem.ts';
import { hashPassword } from './passwords.ts';
import { endSessions } from './sessions.ts';

const LINK_HOURS = 24;
const hashOf = (secret: string): Buffer => createHash('sha256').update(secret).digest();

/** Only for members whose every desk the owner owns: another desk's door must not be opened from here. */
export async function makePasswordLink(
  pool: Pool,
  by: { deskId: string; memberId: string },
  memberId: string,
  origin: string,
): Promise<{ url: string; expiresAt: string }> {
  const { rows } = await pool.query<{ isHere: boolean; isForeign: boolean }>(
    `SELECT bool_or(m.desk_id = $2) AS "isHere", bool_or(o.member_id IS NULL) AS "isForeign"
     FROM memberships m LEFT JOIN memberships o ON o.desk_id = m.desk_id AND o.member_id = $3 AND o.role = 'owner'
     WHERE m.member_id = $1`,
    [memberId, by.deskId, by.memberId],
  );
  if (!rows[0]?.isHere) throw new Problem('not_found');
  if (rows[0].isForeign) throw new Problem('member_elsewhere');
  const secret = randomBytes(24).toString('base64url');
  const expiresAt = new Date(Date.now() + LINK_HOURS * 3_600_000);
  // A newer link makes the older ones worthless.
  await inTransaction(pool, async (client) => {
    await client.query('DELETE FROM password_links WHERE member_id = $1 OR expires_at < now()', [memberId]);
    await client.query(
      'INSERT INTO password_links (hash, member_id, made_by, expires_at) VALUES ($1, $2, $3, $4)',
      [hashOf(secret), memberId, by.memberId, expiresAt],
    );
  });
  // Behind the hash, so that no server and no log ever sees it.
  return { url: `${origin}/new-password#${secret}`, expiresAt: expiresAt.toISOString() };
}

/** Ends all sessions of the member, and the tokens that were to end with the password. Returns whose password it was. */
export async function usePasswordLink(pool: Pool, secret: string, password: string): Promise<string> {
  const hash = await hashPassword(password);
  return inTransaction(pool, async (client) => {
    const { rows } = await client.query<{ member_id: string }>(
      'DELETE FROM password_links WHERE hash = $1 AND expires_at > now() RETURNING member_id',
      [hashOf(secret)],
    );
    const memberId = rows[0]?.member_id;
    if (memberId === undefined) throw new Problem('link_used');
    await client.query('UPDATE members SET password_hash = $2 WHERE id = $1', [memberId, hash]);
    await endSessions(client, { memberId });
    await client.query('DELETE FROM api_tokens WHERE member_id = $1 AND ends_with_password', [memberId]);
    return memberId;
  });
}
