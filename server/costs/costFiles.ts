/**
 * Cost files of a source whose columns are mapped: what they would do is shown, and then loaded. Rows that say what an
 * entry says already are left out, so that loading a file twice changes nothing.
 */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import {
  costFileSettings,
  type CostFileSettings,
  type CostFileTrial,
  type CostLoad,
  type SourceInput,
} from '@tracheon/core/contract';
import { entryKey, readCostRow, type FileContext, type ReadEntry } from '@tracheon/core/costs';
import { Problem } from '../problems/problem.ts';
import { draftRow, dropCostFile } from './costUpload.ts';
import {
  campaignNames,
  oneLoad,
  setState,
  sourceTerms,
  writeEntries,
  type CostOwner,
  type SourceTerms,
} from './costStore.ts';

const SHOWN_PROBLEMS = 50;

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
  return {
    campaigns: await campaignNames(pool, deskId, source.id),
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
  if (entries.length === 0) {
    // All there already, because it was loaded from another tab meanwhile: then it is no draft any more.
    await draftRow(pool, deskId, draftId);
    throw new Problem('no_cost_rows');
  }
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
