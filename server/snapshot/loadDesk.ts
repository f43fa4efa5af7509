/** What a desk is compiled from, read in one consistent view; after the first time only the records that have changed. */
import type { Pool, PoolClient } from 'pg';
import { wholeBody, type BotList } from '@tracheon/core/contract';
import { inEventTransaction } from '../db/pools.ts';
import type { DeskConfiguration, RawPart } from './compiled.ts';

/** Desk → version. */
export async function configurationVersions(pool: Pool): Promise<Map<string, number>> {
  const { rows } = await pool.query<{ deskId: string; version: string }>(
    'SELECT desk_id AS "deskId", version FROM configurations',
  );
  return new Map(rows.map((r) => [r.deskId, Number(r.version)]));
}

/** `last` is what was loaded before; records that have not changed since are taken over from it as they are. */
export function loadDesk(
  pool: Pool,
  deskId: string,
  last: DeskConfiguration | null,
): Promise<DeskConfiguration> {
  return inEventTransaction(pool, async (client) => {
    await client.query('SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY');
    const { rows } = await client.query<{
      version: string;
      zone: string;
      fallbackUrl: string;
      botList: BotList;
    }>(
      `SELECT c.version, d.zone, d.fallback_url AS "fallbackUrl", d.bot_list AS "botList" FROM desks d JOIN configurations c ON c.desk_id = d.id
       WHERE d.id = $1`,
      [deskId],
    );
    const desk = rows[0];
    if (!desk) throw new Error(`desk ${deskId} is not there`);
    const oldKeys = await client.query<DeskConfiguration['oldKeys'][number]>(
      `SELECT key, part_id AS "partId", (extract(epoch FROM valid_until) * 1000)::float8 AS "untilMs"
       FROM old_keys WHERE desk_id = $1 AND valid_until > now()`,
      [deskId],
    );
    const domains = await client.query<DeskConfiguration['domains'][number]>(
      `SELECT d.host, d.fallback_url AS "fallbackUrl",
         coalesce((SELECT json_agg(json_build_object('path', p.path, 'campaignId', p.campaign_id))
           FROM own_paths p WHERE p.domain_id = d.id), '[]') AS paths FROM tracking_domains d WHERE d.desk_id = $1`,
      [deskId],
    );
    return {
      deskId,
      version: Number(desk.version),
      zone: desk.zone,
      fallbackUrl: desk.fallbackUrl,
      botList: desk.botList,
      parts: await loadParts(client, deskId, last),
      domains: domains.rows,
      oldKeys: oldKeys.rows,
    };
  });
}

/** A record that nobody has stamped was written past the API; it is always read. */
async function loadParts(
  client: PoolClient,
  deskId: string,
  last: DeskConfiguration | null,
): Promise<readonly RawPart[]> {
  const { rows } = await client.query<RawPart>(
    `SELECT id, desk_id AS "deskId", kind, name, key, state, version, body FROM parts
     WHERE desk_id = $1 AND kind <> 'event-type' AND (changed_in IS NULL OR changed_in > $2)`,
    [deskId, last?.version ?? -1],
  );
  const changed = rows.map((r): RawPart => ({ ...r, body: wholeBody(r.kind, r.body) }));
  if (last === null) return changed;
  const parts = new Map(last.parts.map((p) => [p.id, p]));
  for (const part of changed) parts.set(part.id, part);
  return [...parts.values()];
}
