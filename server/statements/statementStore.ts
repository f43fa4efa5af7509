/** Statements as they were compared: sums by result, lines, and what was booked of them. */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import {
  lineKinds,
  type LineKind,
  type ReceiptBatch,
  type Statement,
  type StatementLine,
  type StatementSettings,
} from '@tracheon/core/contract';
import { inEventTransaction } from '../db/pools.ts';
import type { Editor } from '../parts/partRecords.ts';
import { Problem } from '../problems/problem.ts';
import { makeBatch, oneBatch, type BatchRow } from '../repairs/batches.ts';
import type { StatementFile } from './compareRun.ts';

const MAX_LISTED = 50;

/** An upload becomes a statement when it is compared; until then it is a draft like any other. */
export async function compareStatement(
  pool: Pool,
  deskId: string,
  id: string,
  { networkId, ...settings }: StatementSettings,
): Promise<ReceiptBatch> {
  const { rowCount } = await pool.query(
    `UPDATE receipt_batches SET kind = 'statement', network_id = $3, settings = settings || $4::jsonb, state = 'running',
       words = 'Statement ' || (settings->>'fileName'), changed_at = now()
     WHERE desk_id = $1 AND id = $2 AND kind = 'file' AND state = 'draft'`,
    [deskId, id, networkId, JSON.stringify(settings)],
  );
  const batch = await oneBatch(pool, deskId, id);
  if (rowCount !== 1) throw new Problem('not_a_draft');
  return batch;
}

export async function listStatements(pool: Pool, deskId: string): Promise<Statement[]> {
  const { rows } = await pool.query<{ id: string }>(
    `SELECT id FROM receipt_batches WHERE desk_id = $1 AND kind = 'statement' ORDER BY id DESC LIMIT ${MAX_LISTED}`,
    [deskId],
  );
  return Promise.all(rows.map(({ id }) => oneStatement(pool, deskId, id)));
}

export async function oneStatement(pool: Pool, deskId: string, id: string): Promise<Statement> {
  const [batch, stored, sums] = await Promise.all([
    oneBatch(pool, deskId, id),
    pool.query<{ settings: StatementFile; name: string }>(
      `SELECT b.settings, coalesce(p.name, '') AS name FROM receipt_batches b LEFT JOIN parts p ON p.id = b.network_id
       WHERE b.desk_id = $1 AND b.id = $2 AND b.kind = 'statement'`,
      [deskId, id],
    ),
    pool.query<SumRow>(SUMS, [id]),
  ]);
  const [of] = stored.rows;
  if (!of) throw new Problem('not_found');
  const { fileName, from = '', to = '' } = of.settings;
  return {
    batch,
    fileName,
    networkName: of.name,
    from,
    to,
    sums: lineKinds.flatMap((kind) => {
      const rows = sums.rows.filter((r) => r.kind === kind);
      if (rows.length === 0) return [];
      return [
        {
          kind,
          count: rows.reduce((n, r) => n + r.count, 0),
          booked: rows.reduce((n, r) => n + r.booked, 0),
          theirs: totals(rows.map((r) => [r.theirs_currency, r.theirs])),
          ours: totals(rows.map((r) => [r.ours_currency, r.ours])),
        },
      ];
    }),
  };
}

interface SumRow {
  kind: LineKind;
  theirs_currency: string | null;
  ours_currency: string | null;
  count: number;
  booked: number;
  theirs: string | null;
  ours: string | null;
}
/** A statement without a currency column means ours. What is not paid is in no sum. */
const SUMS = `SELECT kind, coalesce(nullif(theirs_currency, ''), ours_currency) AS theirs_currency, ours_currency,
    count(*)::int AS count, count(*) FILTER (WHERE booked_by <> '')::int AS booked,
    sum(theirs_micros) FILTER (WHERE theirs_status IN ('approved', 'pending')) AS theirs,
    sum(ours_micros) FILTER (WHERE ours_status IN ('approved', 'pending')) AS ours
  FROM statement_lines WHERE batch_id = $1 GROUP BY 1, 2, 3`;

function totals(
  rows: [currency: string | null, micros: string | null][],
): { currency: string; micros: string }[] {
  const sums = new Map<string, bigint>();
  for (const [currency, micros] of rows)
    if (micros !== null) sums.set(currency ?? '', (sums.get(currency ?? '') ?? 0n) + BigInt(micros));
  return [...sums].map(([currency, micros]) => ({ currency, micros: micros.toString() }));
}

interface LineRow {
  key: string;
  n: number | null;
  kind: LineKind;
  conversion_id: string;
  click_id: string;
  transaction: string;
  at: Date | null;
  theirs_status: Side['status'] | null;
  theirs_micros: string | null;
  theirs_currency: string | null;
  ours_status: Side['status'] | null;
  ours_micros: string | null;
  ours_currency: string | null;
  why: string;
  booked_by: string;
}
type Side = NonNullable<StatementLine['ours']>;

export async function statementLines(
  pool: Pool,
  deskId: string,
  id: string,
  { kind, cursor, limit }: { kind: LineKind; cursor: string; limit: number },
): Promise<{ rows: StatementLine[]; next: string | null }> {
  await oneBatch(pool, deskId, id);
  const { rows } = await pool.query<LineRow>(
    `SELECT * FROM statement_lines WHERE batch_id = $1 AND desk_id = $2 AND kind = $3 AND key > $4 ORDER BY key LIMIT $5`,
    [id, deskId, kind, cursor, limit + 1],
  );
  const page = rows.slice(0, limit);
  return { rows: page.map(asLine), next: rows.length > limit ? page.at(-1)!.key : null };
}

const side = (status: Side['status'] | null, micros: string | null, currency: string | null): Side | null =>
  status === null ? null : { status, micros, currency: currency ?? '' };

const asLine = (r: LineRow): StatementLine => ({
  id: r.key,
  n: r.n,
  kind: r.kind,
  conversionId: r.conversion_id,
  clickId: r.click_id,
  transaction: r.transaction,
  at: r.at?.toISOString() ?? null,
  theirs: side(r.theirs_status, r.theirs_micros, r.theirs_currency),
  ours: side(r.ours_status, r.ours_micros, r.ours_currency),
  why: r.why,
  bookedBy: r.booked_by,
});

/**
 * The rows become an import of their own. That a member books them outweighs where the offer's conversions come from. Lines
 * that were booked, and whose import stands, are left out.
 */
export async function bookStatement(
  pool: Pool,
  by: Editor,
  id: string,
  { kind, lines }: { kind: LineKind; lines: readonly string[] },
): Promise<ReceiptBatch> {
  const batchId = ulid();
  await inEventTransaction(pool, async (client) => {
    const { rows } = await client.query<BatchRow>(
      `SELECT * FROM receipt_batches WHERE desk_id = $1 AND id = $2 AND kind = 'statement' AND state = 'done' FOR UPDATE`,
      [by.deskId, id],
    );
    const [of] = rows;
    if (!of) throw new Problem('not_found');
    const taken = await client.query<{ n: number }>(
      `UPDATE statement_lines l SET booked_by = $4 WHERE batch_id = $1 AND kind = $2 AND n IS NOT NULL
         AND (cardinality($3::text[]) = 0 OR key = ANY ($3))
         AND (booked_by = '' OR EXISTS (SELECT 1 FROM receipt_batches b WHERE b.id = l.booked_by AND b.state = 'undone'))
       RETURNING n`,
      [id, kind, lines, batchId],
    );
    if (taken.rows.length === 0) throw new Problem('nothing_to_book');
    await makeBatch(client, {
      id: batchId,
      desk_id: by.deskId,
      kind: 'file',
      network_id: of.network_id,
      words: `Booked from ${of.words.charAt(0).toLowerCase()}${of.words.slice(1)}`,
      settings: { ...(of.settings as object), isByHand: true },
      state: 'running',
      total: taken.rows.length,
      made_by: by.memberId,
    });
    await client.query(
      `INSERT INTO import_rows (batch_id, n, desk_id, cells)
       SELECT $1, row_number() OVER (ORDER BY r.n), r.desk_id, r.cells FROM import_rows r
       WHERE r.batch_id = $2 AND r.n = ANY ($3)`,
      [batchId, id, taken.rows.map((r) => r.n)],
    );
  });
  return oneBatch(pool, by.deskId, batchId);
}
