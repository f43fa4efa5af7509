/** Tracking domains of a desk, with the paths of their own; a change goes live like one of Parts. */
import type { Pool, PoolClient } from 'pg';
import { ulid } from 'ulid';
import type { DomainCheck, DomainInput, DomainRow } from '@tracheon/core/contract';
import { inTransaction } from '../db/pools.ts';
import { Problem } from '../problems/problem.ts';
import { CONFIGURATION_CHANNEL } from '../db/transaction.ts';

type Stored = Omit<DomainRow, 'check'> & { check: DomainCheck | null };

const COLUMNS = `d.id, d.origin, d.is_default AS "isDefault", d.fallback_url AS "fallbackUrl", d.last_check AS "check",
  coalesce((SELECT json_agg(json_build_object('path', p.path, 'campaignId', p.campaign_id) ORDER BY p.path)
    FROM own_paths p WHERE p.domain_id = d.id), '[]') AS paths`;

/** The desk's own, then the address under which this server listens; that one is the default while no other is. */
export async function listDomains(pool: Pool, deskId: string, listening: string): Promise<DomainRow[]> {
  const { rows } = await pool.query<Stored>(
    `SELECT ${COLUMNS} FROM tracking_domains d WHERE d.desk_id = $1 ORDER BY d.id`,
    [deskId],
  );
  const own: DomainRow = {
    id: '',
    origin: listening,
    isDefault: !rows.some((r) => r.isDefault),
    fallbackUrl: '',
    paths: [],
    check: null,
  };
  return [...rows, own];
}

export async function oneDomain(pool: Pool, deskId: string, id: string): Promise<Stored> {
  const { rows } = await pool.query<Stored>(
    `SELECT ${COLUMNS} FROM tracking_domains d WHERE d.desk_id = $1 AND d.id = $2`,
    [deskId, id],
  );
  if (!rows[0]) throw new Problem('not_found');
  return rows[0];
}

/** Of the desk's default domain; of this server itself while there is none. */
export async function defaultOrigin(pool: Pool, deskId: string, listening: string): Promise<string> {
  const { rows } = await pool.query<{ origin: string }>(
    'SELECT origin FROM tracking_domains WHERE desk_id = $1 AND is_default',
    [deskId],
  );
  return rows[0]?.origin ?? listening;
}

export async function saveDomain(
  pool: Pool,
  deskId: string,
  input: DomainInput,
  existingId: string | null,
  /** `host:port` of the listeners themselves: they serve all desks, so none may have them. */
  own: ReadonlySet<string>,
): Promise<DomainRow> {
  const id = existingId ?? ulid();
  const { host } = new URL(input.origin);
  if (own.has(host))
    throw new Problem('invalid_input', {
      fields: [
        {
          path: 'origin',
          message: 'This is the server’s own address. It works for every desk, so no desk can own it.',
        },
      ],
    });
  await inTransaction(pool, async (client) => {
    if (input.isDefault)
      await client.query('UPDATE tracking_domains SET is_default = false WHERE desk_id = $1', [deskId]);
    const values = [id, deskId, input.origin, host, input.isDefault, input.fallbackUrl];
    const { rowCount } = await client.query(
      existingId === null
        ? `INSERT INTO tracking_domains (id, desk_id, origin, host, is_default, fallback_url) VALUES ($1, $2, $3, $4, $5, $6)
           ON CONFLICT (host) DO NOTHING`
        : `UPDATE tracking_domains SET origin = $3, host = $4, is_default = $5, fallback_url = $6, last_check =
             CASE WHEN origin = $3 THEN last_check END
           WHERE id = $1 AND desk_id = $2 AND NOT EXISTS (SELECT 1 FROM tracking_domains o WHERE o.host = $4 AND o.id <> $1)`,
      values,
    );
    if (rowCount === 0) await refuse(client, deskId, existingId);
    await replacePaths(client, deskId, id, input);
    await goLive(client);
  });
  return oneDomain(pool, deskId, id);
}

async function refuse(client: PoolClient, deskId: string, id: string | null): Promise<never> {
  const { rows } = await client.query('SELECT 1 FROM tracking_domains WHERE id = $1 AND desk_id = $2', [
    id,
    deskId,
  ]);
  if (id !== null && rows.length === 0) throw new Problem('not_found');
  throw new Problem('name_taken', {
    fields: [{ path: 'origin', message: 'This host is already a tracking domain.' }],
  });
}

async function replacePaths(
  client: PoolClient,
  deskId: string,
  id: string,
  input: DomainInput,
): Promise<void> {
  await client.query('DELETE FROM own_paths WHERE domain_id = $1', [id]);
  const fields: { path: string; message: string }[] = [];
  for (const [i, p] of input.paths.entries()) {
    const { rowCount } = await client.query(
      `INSERT INTO own_paths (domain_id, path, campaign_id)
       SELECT $1, $2, id FROM parts WHERE id = $3 AND desk_id = $4 AND kind = 'campaign' ON CONFLICT DO NOTHING`,
      [id, p.path, p.campaignId, deskId],
    );
    if (rowCount === 0)
      fields.push({
        path: `paths.${i}.path`,
        message: 'This path appears twice, or its campaign does not exist on this desk.',
      });
  }
  if (fields.length > 0) throw new Problem('invalid_input', { fields });
}

export async function removeDomain(pool: Pool, deskId: string, id: string): Promise<void> {
  await inTransaction(pool, async (client) => {
    const { rowCount } = await client.query('DELETE FROM tracking_domains WHERE id = $1 AND desk_id = $2', [
      id,
      deskId,
    ]);
    if (rowCount === 0) throw new Problem('not_found');
    await goLive(client);
  });
}

export async function keepCheck(pool: Pool, deskId: string, id: string, check: DomainCheck): Promise<void> {
  await pool.query('UPDATE tracking_domains SET last_check = $3 WHERE id = $1 AND desk_id = $2', [
    id,
    deskId,
    JSON.stringify(check),
  ]);
}

async function goLive(client: PoolClient): Promise<void> {
  await client.query('UPDATE configuration SET version = version + 1');
  await client.query(`SELECT pg_notify('${CONFIGURATION_CHANNEL}', '')`);
}
