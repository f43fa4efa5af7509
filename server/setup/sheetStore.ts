/**
 * Setup sheets: drafts of whole chains, shared by the members of a desk. Two members who change different fields do not
 * collide; the same field changed by both is refused to the second, who sees what the first wrote.
 */
import type { Pool, PoolClient } from 'pg';
import { ulid } from 'ulid';
import {
  blankSheet,
  type OpenSheet,
  type SheetAnswer,
  type SheetBody,
  type SheetRow,
} from '@tracheon/core/contract';
import { inTransaction } from '../db/pools.ts';
import { Problem } from '../problems/problem.ts';
import type { Editor } from '../parts/partsStore.ts';

/** Who has asked for a sheet within this time has it open; browsers ask every ten seconds. */
const PRESENT_SECONDS = 25;
/** Drafts beyond this many are found by nobody. */
const MAX_LISTED = 200;

const COLUMNS = `s.id, s.version, s.body, s.changed_at AS "changedAt", coalesce(m.name, '') AS "changedBy", s.campaign_id AS "campaignId"`;
type Stored = Omit<SheetRow, 'changedAt'> & { changedAt: Date };
const asRow = (r: Stored): SheetRow => ({
  ...r,
  body: { ...blankSheet, ...r.body },
  changedAt: r.changedAt.toISOString(),
});

export async function listSheets(pool: Pool, deskId: string): Promise<SheetRow[]> {
  const { rows } = await pool.query<Stored>(
    `SELECT ${COLUMNS} FROM setup_sheets s LEFT JOIN members m ON m.id = s.changed_by
     WHERE s.desk_id = $1 AND s.campaign_id IS NULL ORDER BY s.changed_at DESC LIMIT ${MAX_LISTED}`,
    [deskId],
  );
  return rows.map(asRow);
}

export async function createSheet(pool: Pool, by: Editor, body: Partial<SheetBody>): Promise<OpenSheet> {
  const id = ulid();
  await pool.query(
    'INSERT INTO setup_sheets (id, desk_id, version, body, changed_by) VALUES ($1, $2, 1, $3, $4)',
    [id, by.deskId, JSON.stringify({ ...blankSheet, ...body }), by.memberId],
  );
  return openSheet(pool, by, id);
}

/** Whoever opens it is there for the others to see. */
export async function openSheet(pool: Pool, by: Editor, id: string): Promise<OpenSheet> {
  const sheet = await storedSheet(pool, by.deskId, id);
  await pool.query(
    `INSERT INTO setup_presence (sheet_id, member_id) VALUES ($1, $2)
     ON CONFLICT (sheet_id, member_id) DO UPDATE SET at = now()`,
    [id, by.memberId],
  );
  const { rows } = await pool.query<{ name: string }>(
    `SELECT m.name FROM setup_presence p JOIN members m ON m.id = p.member_id
     WHERE p.sheet_id = $1 AND p.member_id <> $2 AND p.at > now() - make_interval(secs => $3) ORDER BY m.name`,
    [id, by.memberId, PRESENT_SECONDS],
  );
  return { ...sheet, others: rows.map((r) => r.name) };
}

async function storedSheet(pool: Pool | PoolClient, deskId: string, id: string): Promise<SheetRow> {
  const { rows } = await pool.query<Stored>(
    `SELECT ${COLUMNS} FROM setup_sheets s LEFT JOIN members m ON m.id = s.changed_by WHERE s.desk_id = $1 AND s.id = $2`,
    [deskId, id],
  );
  if (!rows[0]) throw new Problem('not_found');
  return asRow(rows[0]);
}

interface Locked {
  version: number;
  campaign_id: string | null;
  /** Field → version and member of its last change. */
  changed_in: Record<string, { version: number; by: string }>;
}

export async function changeSheet(
  pool: Pool,
  by: Editor,
  id: string,
  seen: number,
  changes: Partial<SheetBody>,
): Promise<SheetAnswer> {
  const collided = await inTransaction(pool, async (client) => {
    const { rows } = await client.query<Locked>(
      'SELECT version, campaign_id, changed_in FROM setup_sheets WHERE desk_id = $1 AND id = $2 FOR UPDATE',
      [by.deskId, id],
    );
    const now = rows[0];
    if (!now) throw new Problem('not_found');
    if (now.campaign_id !== null) throw new Problem('already_live');
    const fields = Object.keys(changes);
    const theirs = fields.filter((f) => {
      const last = now.changed_in[f];
      return last !== undefined && last.version > seen && last.by !== by.memberId;
    });
    if (theirs.length > 0) return theirs.map((field) => ({ field, by: now.changed_in[field]!.by }));
    if (fields.length === 0) return [];
    const version = now.version + 1;
    const stamp = Object.fromEntries(fields.map((f) => [f, { version, by: by.memberId }]));
    await client.query(
      `UPDATE setup_sheets SET version = $3, body = body || $4::jsonb, changed_in = changed_in || $5::jsonb,
         changed_by = $6, changed_at = now() WHERE desk_id = $1 AND id = $2`,
      [by.deskId, id, version, JSON.stringify(changes), JSON.stringify(stamp), by.memberId],
    );
    return [];
  });
  return { sheet: await openSheet(pool, by, id), collided: await named(pool, collided) };
}

async function named(
  pool: Pool,
  collided: { field: string; by: string }[],
): Promise<SheetAnswer['collided']> {
  if (collided.length === 0) return [];
  const { rows } = await pool.query<{ id: string; name: string }>(
    'SELECT id, name FROM members WHERE id = ANY ($1)',
    [collided.map((c) => c.by)],
  );
  return collided.map((c) => ({ field: c.field, by: rows.find((r) => r.id === c.by)?.name ?? '' }));
}

export async function removeSheet(pool: Pool, deskId: string, id: string): Promise<void> {
  const { rowCount } = await pool.query('DELETE FROM setup_sheets WHERE desk_id = $1 AND id = $2', [
    deskId,
    id,
  ]);
  if (rowCount === 0) throw new Problem('not_found');
}
