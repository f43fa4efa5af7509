/** Secrets of a desk by their IDs. A value goes in and is never given out again; only requests to its partner carry it. */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import { seal, unseal } from './sealing.ts';

const placeOf = (deskId: string, id: string): string => `${deskId}|${id}`;

export async function keepSecret(
  pool: Pool,
  serverSecret: string,
  by: { deskId: string; memberId: string },
  value: string,
): Promise<string> {
  const id = ulid();
  const { keyId, sealed } = seal(serverSecret, placeOf(by.deskId, id), value);
  await pool.query('INSERT INTO secrets (id, desk_id, key_id, sealed, made_by) VALUES ($1, $2, $3, $4, $5)', [
    id,
    by.deskId,
    keyId,
    sealed,
    by.memberId,
  ]);
  return id;
}

/** The values of those that open, by ID. */
export async function openSecrets(
  pool: Pool,
  serverSecret: string,
  deskId: string,
  ids: readonly string[],
): Promise<Map<string, string>> {
  if (ids.length === 0) return new Map();
  const { rows } = await pool.query<{ id: string; key_id: string; sealed: Buffer }>(
    'SELECT id, key_id, sealed FROM secrets WHERE desk_id = $1 AND id = ANY ($2)',
    [deskId, ids],
  );
  return new Map(
    rows.flatMap(({ id, key_id, sealed }) => {
      const value = unseal(serverSecret, placeOf(deskId, id), { keyId: key_id, sealed });
      return value === null ? [] : [[id, value] as const];
    }),
  );
}
