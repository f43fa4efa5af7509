/** Uploaded files: their rows as they came, what was said of their columns, and which rows could not be booked. */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import {
  SHOWN_ROWS,
  type ImportDraft,
  type ImportSettings,
  type NetworkInput,
} from '@tracheon/core/contract';
import { guessTargets, reasonSentence } from '@tracheon/core/conversions';
import { guessDates } from '@tracheon/core/time';
import type { Editor } from '../parts/partRecords.ts';
import { Problem } from '../problems/problem.ts';
import { makeBatch, oneBatch, type BatchRow } from '../repairs/batches.ts';
import { FileProblem } from './fileProblem.ts';
import { keepFileRows, type KeptRows } from './keepFileRows.ts';

/** What is kept of a file beside its rows. */
export interface FileSettings extends Omit<ImportSettings, 'networkId'> {
  fileName: string;
  header: string[];
  isRemembered: boolean;
}
const MAX_FAILED_ROWS = 10_000;

interface Given {
  fileName: string;
  /** Empty: not chosen yet. */
  network: { id: string; body: NetworkInput } | null;
  /** The desk's, in which times are read unless the network has one. */
  zone: string;
}

/** The file's rows, one after the other, into a draft; nothing is left of a file that can't be read to its end. */
export async function upload(
  pool: Pool,
  by: Editor,
  { fileName, network, zone }: Given,
  input: AsyncIterable<Buffer>,
): Promise<ImportDraft> {
  await forgetDrafts(pool, by.deskId);
  const id = ulid();
  const base = {
    id,
    desk_id: by.deskId,
    kind: 'file' as const,
    network_id: network?.id ?? '',
    made_by: by.memberId,
  };
  const words = `Imported ${fileName || 'a file'}`;
  await makeBatch(pool, { ...base, words, settings: {}, state: 'draft', total: 0 });
  try {
    const { header, samples, count } = await keepRows(pool, by.deskId, id, input);
    const earlier = network && (await rememberedSettings(pool, by.deskId, network.id, header));
    const settings: FileSettings = {
      targets: guessTargets(header, samples, network?.body),
      decimalMark: '',
      zone: network?.body.zone || zone,
      dates: guessDates(samples.flat()) ?? 'ymd',
      ...earlier,
      fileName,
      header,
      isRemembered: Boolean(earlier),
    };
    await pool.query('UPDATE receipt_batches SET settings = $2, total = $3 WHERE id = $1', [
      id,
      JSON.stringify(settings),
      count,
    ]);
  } catch (error) {
    await pool.query('DELETE FROM receipt_batches WHERE id = $1', [id]);
    if (error instanceof FileProblem) throw new Problem('unreadable_file', { detail: error.message });
    throw error;
  }
  return draft(pool, by.deskId, id);
}

const keepRows = (pool: Pool, deskId: string, id: string, input: AsyncIterable<Buffer>): Promise<KeptRows> =>
  keepFileRows(input, (numbers, cells) =>
    pool.query(
      `INSERT INTO import_rows (batch_id, n, desk_id, cells)
       SELECT $1, n, $2, cells FROM unnest($3::int[], $4::jsonb[]) AS r (n, cells)`,
      [id, deskId, numbers, cells],
    ),
  );

/** Files that nobody went on with. */
const forgetDrafts = (pool: Pool, deskId: string): Promise<unknown> =>
  pool.query(
    `DELETE FROM receipt_batches WHERE desk_id = $1 AND state = 'draft' AND made_at < now() - interval '1 day'`,
    [deskId],
  );

/** Of the last import from this network whose columns had the same names. */
async function rememberedSettings(
  pool: Pool,
  deskId: string,
  networkId: string,
  header: readonly string[],
): Promise<Pick<FileSettings, 'targets' | 'decimalMark' | 'zone' | 'dates'> | null> {
  const { rows } = await pool.query<{ settings: FileSettings }>(
    `SELECT settings FROM receipt_batches WHERE desk_id = $1 AND kind = 'file' AND network_id = $2 AND state <> 'draft'
       AND settings->'header' = $3::jsonb ORDER BY id DESC LIMIT 1`,
    [deskId, networkId, JSON.stringify(header)],
  );
  if (!rows[0]) return null;
  const { targets, decimalMark, zone, dates } = rows[0].settings;
  return { targets, decimalMark, zone, dates };
}

export async function draft(pool: Pool, deskId: string, id: string): Promise<ImportDraft> {
  const [batch, { rows: stored }, { rows }] = await Promise.all([
    oneBatch(pool, deskId, id),
    pool.query<BatchRow>('SELECT * FROM receipt_batches WHERE desk_id = $1 AND id = $2', [deskId, id]),
    pool.query<{ cells: string[] }>(
      `SELECT cells FROM import_rows WHERE batch_id = $1 AND desk_id = $2 ORDER BY n LIMIT ${SHOWN_ROWS}`,
      [id, deskId],
    ),
  ]);
  const settings = stored[0]!.settings as Partial<FileSettings>;
  // One that is still being uploaded has none.
  if (batch.kind !== 'file' || !settings.header) throw new Problem('not_found');
  const { fileName, header, targets, decimalMark, zone, dates, isRemembered } = settings as FileSettings;
  return {
    ...batch,
    fileName,
    header,
    rows: rows.map((r) => r.cells),
    settings: { networkId: batch.networkId, targets: [...targets], decimalMark, zone, dates },
    isRemembered,
  };
}

/** Of a draft only: what was imported was read by its settings, and is again when it is processed again. */
export async function saveSettings(
  pool: Pool,
  deskId: string,
  id: string,
  { networkId, ...settings }: ImportSettings,
  state: 'draft' | 'running' = 'draft',
): Promise<void> {
  const { rowCount } = await pool.query(
    `UPDATE receipt_batches SET network_id = $3, settings = settings || $4::jsonb, state = $5, changed_at = now()
     WHERE desk_id = $1 AND id = $2 AND kind = 'file' AND state = 'draft'`,
    [deskId, id, networkId, JSON.stringify(settings), state],
  );
  if (rowCount === 1) return;
  // Which of the two it is, the question tells.
  await oneBatch(pool, deskId, id);
  throw new Problem('not_a_draft');
}

export async function failedRows(pool: Pool, deskId: string, id: string) {
  const { header } = await draft(pool, deskId, id);
  const { rows } = await pool.query<{
    n: number;
    cells: string[];
    reason: Parameters<typeof reasonSentence>[0];
    detail: string;
  }>(
    `SELECT r.n, r.cells, o.reason, o.detail FROM import_rows r
     JOIN outcomes o ON o.desk_id = r.desk_id AND o.receipt_id = r.receipt_id
     WHERE r.batch_id = $1 AND r.desk_id = $2 AND r.receipt_id <> '' AND o.outcome IN ('repair', 'ignored', 'set_aside')
     ORDER BY r.n LIMIT ${MAX_FAILED_ROWS}`,
    [id, deskId],
  );
  return {
    header,
    rows: rows.map(({ n, cells, reason, detail }) => ({ n, cells, why: reasonSentence(reason, detail) })),
  };
}
