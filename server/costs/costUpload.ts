/** Cost files of a source as drafts: their rows as they came, and what is known of their columns. */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import {
  SHOWN_ROWS,
  type CostFileDraft,
  type CostFileSettings,
  type SourceInput,
} from '@tracheon/core/contract';
import { guessCostTargets } from '@tracheon/core/costs';
import { guessDates } from '@tracheon/core/time';
import { FileProblem } from '../imports/fileProblem.ts';
import { keepFileRows, type KeptRows } from '../imports/keepFileRows.ts';
import { Problem } from '../problems/problem.ts';
import { sourceTerms, type CostOwner } from './costStore.ts';

export interface CostDraft {
  source_id: string;
  file_name: string;
  hash: string;
  header: string[];
  settings: CostFileSettings & { isRemembered?: boolean };
  total: number;
}

export async function uploadCostFile(
  pool: Pool,
  owner: CostOwner,
  { fileName, sourceId }: { fileName: string; sourceId: string },
  input: AsyncIterable<Buffer>,
): Promise<CostFileDraft> {
  const { body } = await sourceTerms(pool, owner.deskId, sourceId);
  // Files that nobody went on with.
  await pool.query(
    `DELETE FROM cost_loads WHERE desk_id = $1 AND state = 'draft' AND made_at < now() - interval '1 day'`,
    [owner.deskId],
  );
  const id = ulid();
  await pool.query(
    `INSERT INTO cost_loads (id, desk_id, source_id, kind, state, file_name, made_by) VALUES ($1, $2, $3, 'file', 'draft', $4, $5)`,
    [id, owner.deskId, sourceId, fileName, owner.memberId],
  );
  try {
    const { header, samples, count, hash } = await keepRows(pool, id, input);
    const earlier = await rememberedSettings(pool, owner.deskId, sourceId, header);
    const settings = {
      targets: guessCostTargets(header, subsOf(body)),
      decimalMark: body.decimalMark,
      dates: guessDates(samples.flat()) ?? 'ymd',
      zone: '',
      campaignId: '',
      ...earlier,
      statedMicros: '',
      isRemembered: earlier !== null,
    };
    await pool.query(
      `UPDATE cost_loads SET header = $2, settings = $3, total = $4, hash = $5 WHERE id = $1`,
      [id, JSON.stringify(header), JSON.stringify(settings), count, hash],
    );
  } catch (error) {
    await pool.query('DELETE FROM cost_loads WHERE id = $1', [id]);
    if (error instanceof FileProblem) throw new Problem('unreadable_file', { detail: error.message });
    throw error;
  }
  return costFileDraftOf(pool, owner.deskId, id);
}

const subsOf = ({ parameters }: SourceInput): { name: string; parameter: string }[] =>
  parameters.filter((p) => p.role === 'sub').map((p) => ({ name: p.sub, parameter: p.parameter }));

const keepRows = (pool: Pool, id: string, input: AsyncIterable<Buffer>): Promise<KeptRows> =>
  keepFileRows(input, (numbers, cells) =>
    pool.query(
      'INSERT INTO cost_rows (load_id, n, cells) SELECT $1, n, cells FROM unnest($2::int[], $3::jsonb[]) AS r (n, cells)',
      [id, numbers, cells],
    ),
  );

/** Of the last file of this source whose columns had the same names. */
async function rememberedSettings(
  pool: Pool,
  deskId: string,
  sourceId: string,
  header: readonly string[],
): Promise<Omit<CostFileSettings, 'statedMicros'> | null> {
  const { rows } = await pool.query<{ settings: CostFileSettings }>(
    `SELECT settings FROM cost_loads WHERE desk_id = $1 AND kind = 'file' AND source_id = $2 AND state <> 'draft'
       AND header = $3::jsonb ORDER BY id DESC LIMIT 1`,
    [deskId, sourceId, JSON.stringify(header)],
  );
  if (!rows[0]) return null;
  const { targets, decimalMark, dates, zone, campaignId } = rows[0].settings;
  return { targets, decimalMark, dates, zone, campaignId };
}

export async function draftRow(pool: Pool, deskId: string, id: string): Promise<CostDraft> {
  const { rows } = await pool.query<CostDraft>(
    `SELECT source_id, file_name, hash, header, settings, total FROM cost_loads
     WHERE desk_id = $1 AND id = $2 AND kind = 'file' AND state = 'draft' AND hash <> ''`,
    [deskId, id],
  );
  if (!rows[0]) throw new Problem('not_found');
  return rows[0];
}

export async function costFileDraftOf(pool: Pool, deskId: string, id: string): Promise<CostFileDraft> {
  const draft = await draftRow(pool, deskId, id);
  const [shown, before] = await Promise.all([
    pool.query<{ cells: string[] }>(
      `SELECT cells FROM cost_rows WHERE load_id = $1 ORDER BY n LIMIT ${SHOWN_ROWS}`,
      [id],
    ),
    pool.query<{ at: Date; by: string }>(
      `SELECT l.made_at AS at, coalesce(m.name, '') AS by FROM cost_loads l LEFT JOIN members m ON m.id = l.made_by
       WHERE l.desk_id = $1 AND l.source_id = $2 AND l.hash = $3 AND l.state = 'done' ORDER BY l.id DESC LIMIT 1`,
      [deskId, draft.source_id, draft.hash],
    ),
  ]);
  const { isRemembered, ...settings } = draft.settings;
  const loaded = before.rows[0];
  return {
    id,
    sourceId: draft.source_id,
    fileName: draft.file_name,
    total: draft.total,
    header: draft.header,
    rows: shown.rows.map((r) => r.cells),
    settings,
    isRemembered: isRemembered === true,
    loadedBefore: loaded ? { at: loaded.at.toISOString(), by: loaded.by } : null,
  };
}

export async function dropCostFile(pool: Pool, deskId: string, id: string): Promise<void> {
  const { rowCount } = await pool.query(
    `DELETE FROM cost_loads WHERE desk_id = $1 AND id = $2 AND state = 'draft'`,
    [deskId, id],
  );
  if (rowCount === 0) throw new Problem('not_found');
}
