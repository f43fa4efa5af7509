/** The past of a record: every version with who made it and when; any of them can be brought back as a new one. */
import type { Pool } from 'pg';
import {
  wholeBody,
  type PartKind,
  type PartRecord,
  type PartVersion,
  type RecentChange,
} from '@tracheon/core/contract';
import { memberNames } from '../db/memberNames.ts';
import type { Models } from '../db/models.ts';
import { Problem } from '../problems/problem.ts';
import { findPart, type Editor } from './partRecords.ts';
import { updatePart } from './partsStore.ts';

export async function listVersions(
  models: Models,
  deskId: string,
  kind: PartKind,
  id: string,
): Promise<PartVersion[]> {
  await findPart(models, deskId, kind, id);
  const rows = await models.PartVersion.findAll({
    where: { deskId, partId: id },
    order: [['version', 'DESC']],
  });
  const versions = rows.map((r) => r.get());
  const nameOf = await memberNames(
    models,
    versions.map((v) => v.changedBy),
  );
  return versions.map((v) => ({
    version: v.version,
    state: v.state as PartVersion['state'],
    body: wholeBody(kind, v.body),
    changedAt: v.changedAt.toISOString(),
    changedBy: nameOf(v.changedBy),
  }));
}

/** On a desk that is at work for years these are still found at once: by the latest records, not by all versions. */
const MAX_RECENT = 8;

/** The latest changes, one for each record: what it is now, and what it was before. */
export async function recentChanges(
  pool: Pool,
  deskId: string,
  kind: PartKind | '',
): Promise<RecentChange[]> {
  const { rows } = await pool.query<{
    id: string;
    kind: PartKind;
    version: number;
    state: RecentChange['state'];
    body: unknown;
    before: unknown;
    state_before: RecentChange['state'] | null;
    at: Date;
    by: string | null;
  }>(
    `SELECT p.id, p.kind, p.version, p.state, p.body, b.body AS before, b.state AS state_before, p.updated_at AS at, m.name AS by
     FROM (SELECT * FROM parts WHERE desk_id = $1 AND ($2 = '' OR kind = $2) ORDER BY updated_at DESC LIMIT ${MAX_RECENT}) p
     LEFT JOIN part_versions v ON v.part_id = p.id AND v.version = p.version
     LEFT JOIN part_versions b ON b.part_id = p.id AND b.version = p.version - 1
     LEFT JOIN members m ON m.id = v.changed_by
     ORDER BY p.updated_at DESC, p.id DESC`,
    [deskId, kind],
  );
  return rows.map((r) => ({
    id: r.id,
    kind: r.kind,
    version: r.version,
    state: r.state,
    body: wholeBody(r.kind, r.body),
    before: r.state_before && { state: r.state_before, body: wholeBody(r.kind, r.before) },
    changedAt: r.at.toISOString(),
    changedBy: r.by ?? '',
  }));
}

/** What was right then may not be now: the body is checked like any other. */
export async function restoreVersion(
  models: Models,
  by: Editor,
  kind: PartKind,
  id: string,
  to: number,
  seen: number,
): Promise<PartRecord> {
  const found = await models.PartVersion.findOne({ where: { deskId: by.deskId, partId: id, version: to } });
  if (!found) throw new Problem('not_found');
  return updatePart(models, by, kind, id, seen, wholeBody(kind, found.get().body));
}
