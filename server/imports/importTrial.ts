/** What the first rows of a file would do: judged for real, in transactions that are rolled back. */
import type { Pool } from 'pg';
import { MAX_TRIED_ROWS, type ImportTrial } from '@tracheon/core/contract';
import { reasonSentence } from '@tracheon/core/conversions';
import { parseQuery } from '@tracheon/core/links';
import { inPipeline } from '../db/pools.ts';
import { judgeWithin } from '../intake/judgeWithin.ts';
import type { BatchRow } from '../repairs/batches.ts';
import { trialChunks } from '../repairs/repairTrial.ts';
import { fileReceipt, newOnes, type FileRow } from './importRun.ts';

const SHOWN = 50;
const PATIENCE_MS = 8000;

export async function tryImport(
  { pool, judging, now }: { pool: Pool; judging: Pool; now: () => number },
  batch: BatchRow,
): Promise<ImportTrial> {
  const { rows } = await pool.query<FileRow>(
    `SELECT n, cells, receipt_id FROM import_rows WHERE batch_id = $1 ORDER BY n LIMIT ${MAX_TRIED_ROWS}`,
    [batch.id],
  );
  const made = rows.map((row) => ({ ...fileReceipt(batch, row, now()), n: row.n }));
  const isNew = await newOnes(pool, batch, made, 0);
  const found = new Map<number, ImportTrial['rows'][number]>();
  made.forEach(({ n }, i) => {
    if (!isNew[i]) found.set(n, { n, outcome: 'known', sentence: 'This row was imported before.' });
  });
  const fresh = made
    .filter((_, i) => isNew[i])
    .map((m) => ({ ...m, clickId: parseQuery(m.receipt.query).values.get('click_id') ?? '' }))
    .sort((a, b) => (a.clickId < b.clickId ? -1 : a.clickId > b.clickId ? 1 : a.n - b.n));
  const until = now() + PATIENCE_MS;
  for (const chunk of trialChunks(fresh)) {
    if (now() > until) break;
    await inPipeline(
      judging,
      async (client) => {
        const said = await judgeWithin(
          client,
          chunk.map((c) => c.receipt),
        );
        chunk.forEach(({ n }, i) => {
          const { outcome, reason, detail } = said[i]!;
          found.set(n, { n, outcome, sentence: reasonSentence(reason, detail) });
        });
      },
      { isTrial: true },
    );
  }
  const all = [...found.values()].sort((a, b) => a.n - b.n);
  const counts = new Map<ImportTrial['rows'][number]['outcome'], number>();
  for (const { outcome } of all) counts.set(outcome, (counts.get(outcome) ?? 0) + 1);
  return {
    tried: all.length,
    outcomes: [...counts].map(([outcome, count]) => ({ outcome, count })).sort((a, b) => b.count - a.count),
    rows: all.slice(0, SHOWN),
  };
}
