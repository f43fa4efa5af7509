/**
 * Cost files of a source: uploaded as a draft, their columns mapped, what they would do shown, loaded. Rows that say what an
 * entry says already are left out, so that loading a file twice changes nothing.
 */
import { createHash } from 'node:crypto';
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import {
  costFileSettings,
  MAX_IMPORT_ROWS,
  SHOWN_ROWS,
  type CostFileDraft,
  type CostFileSettings,
  type CostFileTrial,
  type CostLoad,
  type SourceInput,
} from '@tracheon/core/contract';
import {
  entryKey,
  guessCostTargets,
  readCostRow,
  type FileContext,
  type ReadEntry,
} from '@tracheon/core/costs';
import { guessDates } from '@tracheon/core/time';
import { FileProblem } from '../imports/fileProblem.ts';
import { readTable } from '../imports/readTable.ts';
import { Problem } from '../problems/problem.ts';
import {
  oneLoad,
  setState,
  sourceTerms,
  writeEntries,
  type CostOwner,
  type SourceTerms,
} from './costStore.ts';

const WRITTEN_TOGETHER = 1000;
const SHOWN_PROBLEMS = 50;

interface DraftRow {
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

async function keepRows(
  pool: Pool,
  id: string,
  input: AsyncIterable<Buffer>,
): Promise<{ header: string[]; samples: string[][]; count: number; hash: string }> {
  const hash = createHash('sha256');
  let header: string[] | null = null;
  const samples: string[][] = [];
  let waiting: string[] = [];
  let count = 0;
  const write = async (): Promise<void> => {
    if (waiting.length === 0) return;
    const first = count - waiting.length + 1;
    await pool.query(
      'INSERT INTO cost_rows (load_id, n, cells) SELECT $1, n, cells FROM unnest($2::int[], $3::jsonb[]) AS r (n, cells)',
      [id, waiting.map((_, i) => first + i), waiting],
    );
    waiting = [];
  };
  for await (const row of readTable(input)) {
    if (row.every((cell) => cell.trim() === '')) continue;
    const text = JSON.stringify(row);
    hash.update(text);
    if (header === null) {
      header = row.map((name) => name.trim());
      continue;
    }
    count += 1;
    if (count > MAX_IMPORT_ROWS)
      throw new FileProblem(`It has more than ${MAX_IMPORT_ROWS} rows. Split it into several files.`);
    if (samples.length < SHOWN_ROWS) samples.push(row);
    waiting.push(text);
    if (waiting.length >= WRITTEN_TOGETHER) await write();
  }
  await write();
  if (header === null || count === 0)
    throw new FileProblem('It has no rows below the first one, which names the columns.');
  return { header, samples, count, hash: hash.digest('hex') };
}

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

async function draftRow(pool: Pool, deskId: string, id: string): Promise<DraftRow> {
  const { rows } = await pool.query<DraftRow>(
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

interface Read {
  source: SourceTerms;
  entries: ReadEntry[];
  same: number;
  repeated: number;
  stated: bigint | null;
  unreadable: number;
  problems: { n: number; why: string }[];
  /** Of all rows that can be read, also of those that are there already. */
  sum: { amount: bigint; credit: bigint };
}

async function readAll(pool: Pool, deskId: string, id: string, settings: CostFileSettings): Promise<Read> {
  const draft = await draftRow(pool, deskId, id);
  const { body, ...terms } = await sourceTerms(pool, deskId, draft.source_id);
  const source = { ...terms, zone: settings.zone || terms.zone };
  const context = await contextOf(pool, deskId, source, body);
  const found = new Map<string, ReadEntry>();
  const read: Read = {
    source,
    entries: [],
    same: 0,
    repeated: 0,
    stated: settings.statedMicros === '' ? null : BigInt(settings.statedMicros),
    unreadable: 0,
    problems: [],
    sum: { amount: 0n, credit: 0n },
  };
  for (let after = 0; ;) {
    const { rows } = await pool.query<{ n: number; cells: string[] }>(
      'SELECT n, cells FROM cost_rows WHERE load_id = $1 AND n > $2 ORDER BY n LIMIT 10000',
      [id, after],
    );
    for (const { n, cells } of rows) take(read, found, n, readCostRow(cells, settings, context), settings);
    if (rows.length === 0) break;
    after = rows.at(-1)!.n;
  }
  for (const e of found.values()) read.sum[e.isCredit ? 'credit' : 'amount'] += e.amount;
  const there = await entriesThere(pool, deskId, source, [...found.values()]);
  for (const [key, entry] of found)
    if (there.get(key) === entry.amount) read.same += 1;
    else read.entries.push(entry);
  return read;
}

function take(
  read: Read,
  found: Map<string, ReadEntry>,
  n: number,
  row: ReturnType<typeof readCostRow>,
  { statedMicros }: CostFileSettings,
): void {
  if (row.kind === 'problem') {
    read.unreadable += 1;
    if (read.problems.length < SHOWN_PROBLEMS) read.problems.push({ n, why: row.why });
  } else if (row.kind === 'total') {
    if (statedMicros === '') read.stated = row.amount;
  } else {
    const { entry } = row;
    const key = entryKey(entry);
    const before = found.get(key);
    // Two credits of a day are two; two costs of one scope can't both be its total.
    if (before && entry.isCredit) before.amount += entry.amount;
    else {
      if (before) read.repeated += 1;
      found.set(key, entry);
    }
  }
}

async function contextOf(
  pool: Pool,
  deskId: string,
  source: SourceTerms,
  body: SourceInput,
): Promise<FileContext> {
  const { rows } = await pool.query<{ id: string; name: string; key: string }>(
    `SELECT id, name, key FROM parts WHERE desk_id = $1 AND kind = 'campaign' AND body->>'sourceId' = $2 ORDER BY state = 'archived' DESC, id`,
    [deskId, source.id],
  );
  return {
    campaigns: new Map(
      rows.flatMap((r) => [r.id, r.key, r.name].map((name) => [name.toLowerCase(), r.id] as const)),
    ),
    accounts: new Set(body.accounts.map((a) => a.name)),
    currency: source.currency,
  };
}

/** What counts already, by scope and period: the last that was entered. */
async function entriesThere(
  pool: Pool,
  deskId: string,
  source: SourceTerms,
  entries: readonly ReadEntry[],
): Promise<Map<string, bigint>> {
  if (entries.length === 0) return new Map();
  const days = entries.flatMap((e) => [e.from, e.to]).sort();
  const { rows } = await pool.query<Omit<ReadEntry, 'amount'> & { amount: string; zoneFits: boolean }>(
    `SELECT e.campaign_id AS "campaignId", e.account_id AS "accountId", e.subs, e.first_day::text AS from, e.last_day::text AS to,
       e.is_credit AS "isCredit", e.amount_micros::text AS amount, e.from_at = (e.first_day::timestamp AT TIME ZONE $6) AS "zoneFits"
     FROM cost_entries e JOIN cost_loads l ON l.id = e.load_id
     WHERE e.desk_id = $1 AND e.source_id = $2 AND l.state = 'done' AND l.kind <> 'feed' AND e.currency = $5
       AND e.first_day >= $3 AND e.last_day <= $4 ORDER BY e.n`,
    [deskId, source.id, days[0], days.at(-1), source.currency, source.zone],
  );
  return new Map(
    rows.filter((r) => r.zoneFits).map((r) => [entryKey({ ...r, amount: 0n }), BigInt(r.amount)] as const),
  );
}

const saveSettings = (pool: Pool, deskId: string, id: string, settings: CostFileSettings): Promise<unknown> =>
  pool.query(
    `UPDATE cost_loads SET settings = settings || $3::jsonb WHERE desk_id = $1 AND id = $2 AND state = 'draft'`,
    [deskId, id, JSON.stringify(settings)],
  );

export async function tryCostFile(
  pool: Pool,
  deskId: string,
  id: string,
  settings: CostFileSettings,
): Promise<CostFileTrial> {
  const read = await readAll(pool, deskId, id, settings);
  await saveSettings(pool, deskId, id, settings);
  const days = read.entries.flatMap((e) => [e.from, e.to]).sort();
  const { amount, credit } = read.sum;
  return {
    entries: read.entries.length,
    same: read.same,
    repeated: read.repeated,
    from: days[0] ?? '',
    to: days.at(-1) ?? '',
    sums: [{ currency: read.source.currency, amountMicros: String(amount), creditMicros: String(credit) }],
    stated:
      read.stated === null
        ? null
        : { amountMicros: String(read.stated), agrees: read.stated === amount - credit },
    unreadable: read.unreadable,
    problems: read.problems,
  };
}

/**
 * The entries are written beside the draft, which they replace in the end. Killed half way, the draft is as it was; pressed in
 * two tabs, the second finds no draft any more.
 */
export async function loadCostFile(
  pool: Pool,
  owner: CostOwner,
  draftId: string,
  settings: CostFileSettings,
): Promise<CostLoad> {
  const { deskId, memberId } = owner;
  const { source, entries } = await readAll(pool, deskId, draftId, settings);
  if (entries.length === 0) throw new Problem('no_cost_rows');
  await saveSettings(pool, deskId, draftId, costFileSettings.parse(settings));
  const id = ulid();
  const { rowCount } = await pool.query(
    `INSERT INTO cost_loads (id, desk_id, source_id, kind, state, file_name, hash, header, settings, total, made_by)
     SELECT $3, desk_id, source_id, kind, 'draft', file_name, hash, header, settings, total, $4 FROM cost_loads WHERE desk_id = $1 AND id = $2`,
    [deskId, draftId, id, memberId],
  );
  // Loaded from another tab since its rows were read.
  if (rowCount === 0) throw new Problem('not_found');
  await writeEntries(pool, deskId, id, source, entries);
  if (!(await setState(pool, owner, id, { from: 'draft', to: 'done' }, draftId))) {
    await dropCostFile(pool, deskId, id);
    throw new Problem('not_found');
  }
  return oneLoad(pool, deskId, id);
}

export async function dropCostFile(pool: Pool, deskId: string, id: string): Promise<void> {
  const { rowCount } = await pool.query(
    `DELETE FROM cost_loads WHERE desk_id = $1 AND id = $2 AND state = 'draft'`,
    [deskId, id],
  );
  if (rowCount === 0) throw new Problem('not_found');
}
