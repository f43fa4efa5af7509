/** Every process says which version of each desk it answers from, so that a screen can say whether a change is live everywhere. */
import { randomBytes } from 'node:crypto';
import { hostname } from 'node:os';
import type { Pool } from 'pg';
import type { RunningConfiguration } from '@tracheon/core/contract';
import type { LiveSnapshot } from './liveSnapshot.ts';

/** Said so often; one that has said nothing for three times as long is gone. */
export const TELL_EVERY_MS = 5000;
const GONE_AFTER_SECONDS = (3 * TELL_EVERY_MS) / 1000;
const FORGOTTEN_AFTER_MINUTES = 10;

/** Host and process, and letters that tell two servers in one process apart. */
export const processName = (): string => `${hostname()} ${process.pid} ${randomBytes(3).toString('hex')}`;

export async function tellVersions(
  pool: Pool,
  id: string,
  live: Pick<LiveSnapshot, 'current' | 'unloadable'>,
): Promise<void> {
  await pool.query(
    `INSERT INTO processes (id, versions, unloadable) VALUES ($1, $2, $3)
     ON CONFLICT (id) DO UPDATE SET seen_at = now(), versions = excluded.versions, unloadable = excluded.unloadable`,
    [
      id,
      JSON.stringify(Object.fromEntries(live.current.versions)),
      JSON.stringify(Object.fromEntries(live.unloadable)),
    ],
  );
  await pool.query('DELETE FROM processes WHERE seen_at < now() - make_interval(mins => $1)', [
    FORGOTTEN_AFTER_MINUTES,
  ]);
}

/** At the orderly end. */
export async function tellGone(pool: Pool, id: string): Promise<void> {
  await pool.query('DELETE FROM processes WHERE id = $1', [id]);
}

export async function runningConfiguration(pool: Pool, deskId: string): Promise<RunningConfiguration> {
  const desk = await pool.query<{ version: string; changedAt: Date }>(
    'SELECT version, changed_at AS "changedAt" FROM configurations WHERE desk_id = $1',
    [deskId],
  );
  const { rows } = await pool.query<{
    name: string;
    startedAt: Date;
    seenAt: Date;
    version: string | null;
    trouble: string | null;
  }>(
    `SELECT id AS name, started_at AS "startedAt", seen_at AS "seenAt", versions->>$1 AS version, unloadable->>$1 AS trouble
     FROM processes WHERE seen_at > now() - make_interval(secs => $2) ORDER BY started_at, id`,
    [deskId, GONE_AFTER_SECONDS],
  );
  const version = Number(desk.rows[0]?.version ?? 0);
  const servers = rows.map((r) => ({
    name: r.name,
    startedAt: r.startedAt.toISOString(),
    seenAt: r.seenAt.toISOString(),
    version: r.version === null ? null : Number(r.version),
    trouble: r.trouble ?? '',
  }));
  return {
    version,
    changedAt: (desk.rows[0]?.changedAt ?? new Date(0)).toISOString(),
    isLive: servers.length > 0 && servers.every((s) => s.version === version),
    servers,
  };
}
