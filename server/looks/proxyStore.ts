/** Proxies of a desk, one for each country. */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import type { z } from 'zod';
import { MAX_PROXIES, type proxySaved, type ProxyRow } from '@tracheon/core/contract';
import { Problem } from '../problems/problem.ts';
import { keepSecret, openSecrets } from '../secrets/secretStore.ts';
import type { Proxy } from './throughProxy.ts';

interface Row {
  id: string;
  country: string;
  address: string;
  user_name: string;
  secret_id: string;
}

export async function listProxies(pool: Pool, deskId: string): Promise<ProxyRow[]> {
  const { rows } = await pool.query<Row>(
    `SELECT id, country, address, user_name, secret_id FROM proxies WHERE desk_id = $1 ORDER BY country LIMIT ${MAX_PROXIES}`,
    [deskId],
  );
  return rows.map((r) => ({
    id: r.id,
    country: r.country,
    address: r.address,
    user: r.user_name,
    hasPassword: r.secret_id !== '',
  }));
}

/** A password goes only to the address that it was entered for. */
export async function saveProxy(
  pool: Pool,
  serverSecret: string,
  by: { deskId: string; memberId: string },
  { country, address, user, password }: z.output<typeof proxySaved>,
): Promise<void> {
  const { rows } = await pool.query<Row>('SELECT * FROM proxies WHERE desk_id = $1 AND country = $2', [
    by.deskId,
    country,
  ]);
  const before = rows[0];
  if (before && before.secret_id !== '' && before.address !== address && password === '' && user !== '')
    throw new Problem('invalid_input', {
      fields: [{ path: 'password', message: 'The address has changed. Enter the password again.' }],
    });
  const kept = user === '' ? '' : (before?.secret_id ?? '');
  const secretId = password === '' ? kept : await keepSecret(pool, serverSecret, by, password);
  await pool.query(
    `INSERT INTO proxies (id, desk_id, country, address, user_name, secret_id, changed_by) VALUES ($1, $2, $3, $4, $5, $6, $7)
     ON CONFLICT (desk_id, country) DO UPDATE SET address = excluded.address, user_name = excluded.user_name,
       secret_id = excluded.secret_id, changed_by = excluded.changed_by, changed_at = now()`,
    [ulid(), by.deskId, country, address, user, secretId, by.memberId],
  );
}

export async function removeProxy(pool: Pool, deskId: string, id: string): Promise<boolean> {
  return (
    ((await pool.query('DELETE FROM proxies WHERE desk_id = $1 AND id = $2', [deskId, id])).rowCount ?? 0) > 0
  );
}

/** With its password; null: the desk has none there. */
export async function proxyOf(
  pool: Pool,
  serverSecret: string,
  deskId: string,
  country: string,
): Promise<Proxy | null> {
  const { rows } = await pool.query<Row>('SELECT * FROM proxies WHERE desk_id = $1 AND country = $2', [
    deskId,
    country,
  ]);
  const row = rows[0];
  if (!row) return null;
  const secrets = await openSecrets(pool, serverSecret, deskId, row.secret_id === '' ? [] : [row.secret_id]);
  return { address: row.address, user: row.user_name, password: secrets.get(row.secret_id) ?? '' };
}
