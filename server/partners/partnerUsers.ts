/**
 * People who sign in at the partner page. They are no members: nothing of the desk's own API knows them. One person may sign in
 * for several partners, also of several desks, with one password, which is the person's own.
 */
import { createHash, randomBytes } from 'node:crypto';
import type { Pool, PoolClient } from 'pg';
import { ulid } from 'ulid';
import type { PartnerUser } from '@tracheon/core/contract';
import { hashPassword, verifyPassword } from '../accounts/passwords.ts';
import { inEventTransaction } from '../db/pools.ts';
import { Problem } from '../problems/problem.ts';

/** A new person looks at an invitation when there is time; who has forgotten a password wants it now. */
const INVITED_DAYS = 7;
const DAY_MS = 86_400_000;
const hashOf = (secret: string): Buffer => createHash('sha256').update(secret).digest();

interface UserRow extends Omit<PartnerUser, 'addedAt' | 'lastSignIn'> {
  addedAt: Date;
  lastSignIn: Date | null;
}
const USER = `SELECT a.id, u.name, u.email, u.password_hash IS NOT NULL AS "hasPassword", a.added_at AS "addedAt",
    a.last_sign_in AS "lastSignIn" FROM partner_accesses a JOIN partner_users u ON u.id = a.user_id`;
const asUser = (r: UserRow): PartnerUser => ({
  ...r,
  addedAt: r.addedAt.toISOString(),
  lastSignIn: r.lastSignIn && r.lastSignIn.toISOString(),
});

export async function listPartnerUsers(
  pool: Pool,
  deskId: string,
  partnerId: string,
): Promise<PartnerUser[]> {
  await findPartner(pool, deskId, partnerId);
  const { rows } = await pool.query<UserRow>(
    `${USER} WHERE a.desk_id = $1 AND a.partner_id = $2 ORDER BY lower(u.name), a.id`,
    [deskId, partnerId],
  );
  return rows.map(asUser);
}

async function findPartner(db: Pick<Pool, 'query'>, deskId: string, partnerId: string): Promise<void> {
  const { rowCount } = await db.query(
    `SELECT 1 FROM parts WHERE desk_id = $1 AND id = $2 AND kind = 'partner'`,
    [deskId, partnerId],
  );
  if (rowCount === 0) throw new Problem('not_found');
}

export interface By {
  deskId: string;
  memberId: string;
}

/** Somebody who has a password already signs in with it; everybody else gets a link. */
export async function addPartnerUser(
  pool: Pool,
  by: By,
  partnerId: string,
  { name, email }: { name: string; email: string },
  origin: string,
): Promise<{ user: PartnerUser; url: string }> {
  return inEventTransaction(pool, async (client) => {
    await findPartner(client, by.deskId, partnerId);
    await client.query(
      'INSERT INTO partner_users (id, email, name) VALUES ($1, $2, $3) ON CONFLICT (email) DO NOTHING',
      [ulid(), email, name],
    );
    const { rows } = await client.query<{ id: string; has: boolean }>(
      'SELECT id, password_hash IS NOT NULL AS has FROM partner_users WHERE email = $1 FOR UPDATE',
      [email],
    );
    const { id: userId, has } = rows[0]!;
    const accessId = ulid();
    const added = await client.query(
      `INSERT INTO partner_accesses (id, user_id, desk_id, partner_id, added_by) VALUES ($1, $2, $3, $4, $5)
       ON CONFLICT (user_id, partner_id) DO NOTHING`,
      [accessId, userId, by.deskId, partnerId, by.memberId],
    );
    if (added.rowCount === 0)
      throw new Problem('name_taken', {
        fields: [{ path: 'email', message: 'This person signs in for this partner already.' }],
      });
    const url = has ? '' : (await newLink(client, userId, origin)).url;
    const user = await client.query<UserRow>(`${USER} WHERE a.id = $1`, [accessId]);
    return { user: asUser(user.rows[0]!), url };
  });
}

/** A newer link makes the older ones worthless. The secret stands behind the hash, so that no server and no log ever sees it. */
async function newLink(
  client: PoolClient,
  userId: string,
  origin: string,
): Promise<{ url: string; expiresAt: string }> {
  const secret = randomBytes(24).toString('base64url');
  const expiresAt = new Date(Date.now() + INVITED_DAYS * DAY_MS);
  await client.query('DELETE FROM partner_password_links WHERE user_id = $1 OR expires_at < now()', [userId]);
  await client.query('INSERT INTO partner_password_links (hash, user_id, expires_at) VALUES ($1, $2, $3)', [
    hashOf(secret),
    userId,
    expiresAt,
  ]);
  return { url: `${origin}/new-password#${secret}`, expiresAt: expiresAt.toISOString() };
}

/** Only for people of this desk's partners alone: another desk's door must not be opened from here. */
export async function linkForPartnerUser(
  pool: Pool,
  { deskId }: By,
  accessId: string,
  origin: string,
): Promise<{ url: string; expiresAt: string }> {
  return inEventTransaction(pool, async (client) => {
    const { rows } = await client.query<{ user_id: string; elsewhere: boolean }>(
      `SELECT a.user_id, EXISTS (SELECT 1 FROM partner_accesses o WHERE o.user_id = a.user_id AND o.desk_id <> $1) AS elsewhere
       FROM partner_accesses a WHERE a.desk_id = $1 AND a.id = $2`,
      [deskId, accessId],
    );
    const [found] = rows;
    if (!found) throw new Problem('not_found');
    if (found.elsewhere) throw new Problem('member_elsewhere');
    return newLink(client, found.user_id, origin);
  });
}

/** Sessions for this partner end; those for others go on. */
export async function removePartnerUser(pool: Pool, { deskId }: By, accessId: string): Promise<void> {
  await inEventTransaction(pool, async (client) => {
    const { rows } = await client.query<{ user_id: string }>(
      'DELETE FROM partner_accesses WHERE desk_id = $1 AND id = $2 RETURNING user_id',
      [deskId, accessId],
    );
    if (!rows[0]) throw new Problem('not_found');
    await client.query(`DELETE FROM partner_session WHERE sess->>'accessId' = $1`, [accessId]);
    // A link to a person without any access would open nothing, and must not open what comes later.
    await client.query('DELETE FROM partner_password_links WHERE user_id = $1', [rows[0].user_id]);
  });
}

/** Ends all sessions of the person. */
export async function usePartnerLink(pool: Pool, secret: string, password: string): Promise<void> {
  const passwordHash = await hashPassword(password);
  await inEventTransaction(pool, async (client) => {
    const { rows } = await client.query<{ user_id: string }>(
      'DELETE FROM partner_password_links WHERE hash = $1 AND expires_at > now() RETURNING user_id',
      [hashOf(secret)],
    );
    if (!rows[0]) throw new Problem('link_used');
    await setPassword(client, rows[0].user_id, passwordHash, '');
  });
}

async function setPassword(
  client: PoolClient,
  userId: string,
  passwordHash: string,
  keptSid: string,
): Promise<void> {
  await client.query('UPDATE partner_users SET password_hash = $2 WHERE id = $1', [userId, passwordHash]);
  await client.query('DELETE FROM partner_password_links WHERE user_id = $1', [userId]);
  await client.query(`DELETE FROM partner_session WHERE sess->>'userId' = $1 AND sid <> $2`, [
    userId,
    keptSid,
  ]);
}

/** Compared even when there is no such person, so that the time tells nothing. */
const decoy = hashPassword('nobody has this password');

/** The access that was used last. */
export async function checkPartnerSignIn(
  pool: Pool,
  email: string,
  password: string,
): Promise<{ userId: string; accessId: string }> {
  const { rows } = await pool.query<{ id: string; hash: string | null; access: string | null }>(
    `SELECT u.id, u.password_hash AS hash, (SELECT a.id FROM partner_accesses a
       JOIN parts p ON p.id = a.partner_id AND p.state = 'live'
       WHERE a.user_id = u.id ORDER BY a.last_sign_in DESC NULLS LAST, a.id LIMIT 1) AS access
     FROM partner_users u WHERE u.email = $1`,
    [email.trim().toLowerCase()],
  );
  const [user] = rows;
  const isRight = await verifyPassword(password, user?.hash ?? (await decoy));
  if (!isRight || !user?.hash || user.access === null) throw new Problem('wrong_sign_in');
  await noteSignIn(pool, user.access);
  return { userId: user.id, accessId: user.access };
}

const noteSignIn = (pool: Pool, accessId: string): Promise<unknown> =>
  pool.query('UPDATE partner_accesses SET last_sign_in = now() WHERE id = $1', [accessId]);

export async function changePartnerPassword(
  pool: Pool,
  userId: string,
  keptSid: string,
  { current, next }: { current: string; next: string },
): Promise<void> {
  const { rows } = await pool.query<{ hash: string }>(
    'SELECT password_hash AS hash FROM partner_users WHERE id = $1',
    [userId],
  );
  if (!rows[0] || !(await verifyPassword(current, rows[0].hash))) throw new Problem('wrong_sign_in');
  const passwordHash = await hashPassword(next);
  await inEventTransaction(pool, (client) => setPassword(client, userId, passwordHash, keptSid));
}

/** Who asks, for which partner of which desk. */
export interface PartnerSigned {
  userId: string;
  accessId: string;
  deskId: string;
  partnerId: string;
  name: string;
  email: string;
  partnerName: string;
}
const SIGNED = `SELECT a.user_id AS "userId", a.id AS "accessId", a.desk_id AS "deskId", a.partner_id AS "partnerId",
    u.name, u.email, p.name AS "partnerName", d.name AS "deskName"
  FROM partner_accesses a JOIN partner_users u ON u.id = a.user_id JOIN desks d ON d.id = a.desk_id
  JOIN parts p ON p.desk_id = a.desk_id AND p.id = a.partner_id AND p.state = 'live'`;

/** null: the access was ended, or its partner is archived. */
export async function signedPartner(
  pool: Pool,
  userId: string,
  accessId: string,
): Promise<PartnerSigned | null> {
  const { rows } = await pool.query<PartnerSigned>(`${SIGNED} WHERE a.id = $1 AND a.user_id = $2`, [
    accessId,
    userId,
  ]);
  return rows[0] ?? null;
}

export async function accessesOf(
  pool: Pool,
  userId: string,
): Promise<{ accessId: string; deskName: string; partnerName: string }[]> {
  const { rows } = await pool.query<{ accessId: string; deskName: string; partnerName: string }>(
    `${SIGNED} WHERE a.user_id = $1 ORDER BY d.name, p.name`,
    [userId],
  );
  return rows;
}

/** Sign-in goes on for another partner of the same person. */
export async function switchTo(pool: Pool, userId: string, accessId: string): Promise<void> {
  if ((await signedPartner(pool, userId, accessId)) === null) throw new Problem('not_found');
  await noteSignIn(pool, accessId);
}
