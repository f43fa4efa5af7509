/**
 * Tokens of scripts: `tracheon_` and 32 characters that carry 160 bits. Only the hash is kept. A token may do what its
 * scope allows and its member's role at that moment; without the membership it is worth nothing.
 */
import { createHash, randomBytes } from 'node:crypto';
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import type { MadeToken, Role, TokenRow, TokenScope } from '@tracheon/core/contract';
import { inTransaction } from '../db/pools.ts';
import { Problem } from '../problems/problem.ts';

const ALPHABET = 'abcdefghijkmnpqrstuvwxyz23456789';
const PREFIX = 'tracheon_';
/** Tokens of one member on one desk: more than scripts anybody runs. */
const MAX_TOKENS = 50;

const makeToken = (): string => PREFIX + [...randomBytes(32)].map((b) => ALPHABET[b % 32]).join('');
const hashOf = (token: string): Buffer => createHash('sha256').update(token).digest();

export interface TokenHolder {
  tokenId: string;
  memberId: string;
  deskId: string;
  role: Role;
  scope: TokenScope;
}

export async function createToken(
  pool: Pool,
  by: { deskId: string; memberId: string },
  input: { name: string; scope: TokenScope; days: number; endsWithPassword: boolean },
): Promise<MadeToken> {
  const token = makeToken();
  const id = ulid();
  const made = await inTransaction(pool, async (client) => {
    // One at a time: as many as there are, asked for at once, would all find a place.
    await client.query('SELECT pg_advisory_xact_lock(hashtextextended($1, 0))', [
      `tokens|${by.deskId}|${by.memberId}`,
    ]);
    const { rowCount } = await client.query(
      `INSERT INTO api_tokens (id, desk_id, member_id, name, scope, hash, expires_at, ends_with_password)
       SELECT $1, $2, $3, $4, $5, $6, CASE WHEN $8 > 0 THEN now() + make_interval(days => $8) END, $9
       WHERE (SELECT count(*) FROM api_tokens WHERE desk_id = $2 AND member_id = $3) < $7`,
      [
        id,
        by.deskId,
        by.memberId,
        input.name,
        input.scope,
        hashOf(token),
        MAX_TOKENS,
        input.days,
        input.endsWithPassword,
      ],
    );
    return rowCount === 1;
  });
  if (!made)
    throw new Problem('invalid_input', {
      fields: [{ path: 'name', message: `You have ${MAX_TOKENS} tokens; revoke one first.` }],
    });
  const row = (await listTokens(pool, by, false)).find((t) => t.id === id)!;
  return { ...row, token };
}

/** A member's own; with `all` those of the whole desk. */
export async function listTokens(
  pool: Pool,
  by: { deskId: string; memberId: string },
  all: boolean,
): Promise<TokenRow[]> {
  const { rows } = await pool.query<
    TokenRow & { createdAt: Date | string; lastUsedAt: Date | null; expiresAt: Date | null }
  >(
    `SELECT t.id, t.name, t.scope, m.name AS "memberName", t.created_at AS "createdAt", t.last_used_at AS "lastUsedAt",
       t.expires_at AS "expiresAt", t.ends_with_password AS "endsWithPassword"
     FROM api_tokens t JOIN members m ON m.id = t.member_id
     WHERE t.desk_id = $1 AND ($3 OR t.member_id = $2) ORDER BY t.id DESC`,
    [by.deskId, by.memberId, all],
  );
  return rows.map((r) => ({
    ...r,
    createdAt: new Date(r.createdAt).toISOString(),
    lastUsedAt: r.lastUsedAt && new Date(r.lastUsedAt).toISOString(),
    expiresAt: r.expiresAt && new Date(r.expiresAt).toISOString(),
  }));
}

/** An owner may revoke anybody's. Returns whose it was. */
export async function revokeToken(
  pool: Pool,
  by: { deskId: string; memberId: string },
  id: string,
  all: boolean,
): Promise<string> {
  const gone = await pool.query<{ member_id: string }>(
    'DELETE FROM api_tokens WHERE desk_id = $1 AND id = $3 AND ($4 OR member_id = $2) RETURNING member_id',
    [by.deskId, by.memberId, id, all],
  );
  if (!gone.rows[0]) throw new Problem('not_found');
  return gone.rows[0].member_id;
}

/** Whose token this is, with the role as it is now; null for none. Its use is noted once a minute. */
export async function findToken(pool: Pool, token: string): Promise<TokenHolder | null> {
  if (!token.startsWith(PREFIX) || token.length !== PREFIX.length + 32) return null;
  const { rows } = await pool.query<TokenHolder & { unnoted: boolean }>(
    `SELECT t.id AS "tokenId", t.member_id AS "memberId", t.desk_id AS "deskId", m.role, t.scope,
       (t.last_used_at IS NULL OR t.last_used_at < now() - interval '1 minute') AS unnoted
     FROM api_tokens t JOIN memberships m ON m.desk_id = t.desk_id AND m.member_id = t.member_id
     WHERE t.hash = $1 AND (t.expires_at IS NULL OR t.expires_at > now())`,
    [hashOf(token)],
  );
  const found = rows[0];
  if (!found) return null;
  const { unnoted, ...holder } = found;
  if (unnoted) await pool.query('UPDATE api_tokens SET last_used_at = now() WHERE id = $1', [holder.tokenId]);
  return holder;
}
