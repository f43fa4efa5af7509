/** Everything the snapshot is compiled from, read in one consistent view. */
import type { Pool } from 'pg';
import { wholeBody, type PartBodies, type PartKind } from '@tracheon/core/contract';
import type { RawConfiguration, RawPart } from '../capture/snapshot.ts';
import { inTransaction } from '../db/pools.ts';

export async function configurationVersion(pool: Pool): Promise<number> {
  const { rows } = await pool.query<{ version: string }>('SELECT version FROM configuration');
  return Number(rows[0]!.version);
}

export function loadConfiguration(pool: Pool): Promise<RawConfiguration> {
  return inTransaction(pool, async (client) => {
    await client.query('SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY');
    const version = await client.query<{ version: string }>('SELECT version FROM configuration');
    const desks = await client.query<RawConfiguration['desks'][number]>(
      'SELECT id, zone, currency, fallback_url AS "fallbackUrl" FROM desks',
    );
    const { rows } = await client.query<RawPart<unknown> & { kind: PartKind }>(
      `SELECT id, desk_id AS "deskId", kind, name, key, state, version, body FROM parts WHERE kind <> 'event-type'`,
    );
    const oldKeys = await client.query<RawConfiguration['oldKeys'][number]>(
      `SELECT key, part_id AS "partId", (extract(epoch FROM valid_until) * 1000)::float8 AS "untilMs"
       FROM old_keys WHERE valid_until > now()`,
    );
    const domains = await client.query<RawConfiguration['domains'][number]>(
      `SELECT d.desk_id AS "deskId", d.host, d.fallback_url AS "fallbackUrl",
         coalesce((SELECT json_agg(json_build_object('path', p.path, 'campaignId', p.campaign_id))
           FROM own_paths p WHERE p.domain_id = d.id), '[]') AS paths FROM tracking_domains d`,
    );
    const of = <K extends PartKind>(kind: K): RawPart<PartBodies[K]>[] =>
      rows
        .filter((r) => r.kind === kind)
        .map((r) => ({ ...r, body: wholeBody(kind, r.body) })) as unknown as RawPart<PartBodies[K]>[];
    return {
      version: Number(version.rows[0]!.version),
      desks: desks.rows,
      domains: domains.rows,
      oldKeys: oldKeys.rows,
      networks: of('network'),
      sources: of('source'),
      landingPages: of('landing-page'),
      offers: of('offer'),
      // An archived campaign answers like one that never was.
      campaigns: of('campaign').filter((c) => c.state !== 'archived'),
    };
  });
}
