/** Loads of cost entries: made, undone and restored as one; each change of what counts leaves its trace for the numbers index. */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import type { CostEntryRow, CostInput, CostLoad, Page, SourceInput } from '@tracheon/core/contract';
import type { ReadEntry } from '@tracheon/core/costs';
import { dayStart, shiftDay } from '@tracheon/core/time';
import { factChange } from '../db/factChanges.ts';
import { inEventTransaction, type Reads } from '../db/pools.ts';
import { Problem } from '../problems/problem.ts';
import {
  Conditions,
  like,
  pageOf,
  pageQuery,
  type ListQuestion,
  type SortColumns,
  type SortedRow,
} from '../reports/listPage.ts';

export interface CostOwner {
  deskId: string;
  memberId: string;
}
/** What entries of a source are in. */
export interface SourceTerms {
  id: string;
  zone: string;
  currency: string;
  feePercent: string;
}

export async function sourceTerms(
  pool: Pool,
  deskId: string,
  sourceId: string,
): Promise<SourceTerms & { body: SourceInput }> {
  const { rows } = await pool.query<{ body: SourceInput; zone: string }>(
    `SELECT p.body, d.zone FROM parts p JOIN desks d ON d.id = p.desk_id WHERE p.desk_id = $1 AND p.id = $2 AND p.kind = 'source'`,
    [deskId, sourceId],
  );
  const found = rows[0];
  if (!found)
    throw new Problem('invalid_input', { fields: [{ path: 'sourceId', message: 'Choose a source.' }] });
  const { body } = found;
  return {
    id: sourceId,
    body,
    zone: body.zone || found.zone,
    currency: body.costCurrency,
    feePercent: body.feePercent,
  };
}

const WRITTEN_TOGETHER = 2000;

/** Campaigns of the source, by what a report may call them: name in small letters, key or ID. */
export async function campaignNames(
  pool: Reads,
  deskId: string,
  sourceId: string,
): Promise<Map<string, string>> {
  const { rows } = await pool.query<{ id: string; name: string; key: string }>(
    `SELECT id, name, key FROM parts WHERE desk_id = $1 AND kind = 'campaign' AND body->>'sourceId' = $2 ORDER BY state = 'archived' DESC, id`,
    [deskId, sourceId],
  );
  return new Map(
    rows.flatMap((r) => [r.id, r.key, r.name].map((name) => [name.toLowerCase(), r.id] as const)),
  );
}

/** Each batch for itself: a load counts only once it is done, and the feed of the index must not wait for long transactions. `untilMs`: nothing is known of later visits. */
export async function writeEntries(
  pool: Reads,
  deskId: string,
  loadId: string,
  source: SourceTerms,
  entries: readonly ReadEntry[],
  untilMs = Infinity,
): Promise<void> {
  for (let at = 0; at < entries.length; at += WRITTEN_TOGETHER) {
    const some = entries.slice(at, at + WRITTEN_TOGETHER);
    const column = <T>(pick: (e: ReadEntry) => T): T[] => some.map(pick);
    await pool.query(
      `INSERT INTO cost_entries (desk_id, load_id, source_id, currency, fee_percent, campaign_id, account_id, subs, first_day, last_day,
         from_at, to_at, is_credit, amount_micros)
       SELECT $1, $2, $3, $4, $5, * FROM unnest($6::text[], $7::text[], $8::jsonb[], $9::date[], $10::date[], $11::timestamptz[],
         $12::timestamptz[], $13::boolean[], $14::bigint[])`,
      [
        deskId,
        loadId,
        source.id,
        source.currency,
        source.feePercent,
        column((e) => e.campaignId),
        column((e) => e.accountId),
        column((e) => JSON.stringify(e.subs)),
        column((e) => e.from),
        column((e) => e.to),
        column((e) => new Date(dayStart(e.from, source.zone))),
        column((e) => new Date(Math.min(dayStart(shiftDay(e.to, 1), source.zone), untilMs))),
        column((e) => e.isCredit),
        column((e) => String(e.amount)),
      ],
    );
  }
}

/** From now on it counts, or does not. `insteadOf`: the draft that it replaces. False when it was so already, or there is no such draft. */
export const setState = (
  pool: Pool,
  { deskId, memberId }: CostOwner,
  id: string,
  { from, to }: { from: 'draft' | 'done' | 'undone'; to: 'done' | 'undone' },
  insteadOf = '',
): Promise<boolean> =>
  inEventTransaction(pool, async (client) => {
    if (insteadOf !== '') {
      const draft = await client.query(
        `DELETE FROM cost_loads WHERE desk_id = $1 AND id = $2 AND state = 'draft'`,
        [deskId, insteadOf],
      );
      if (draft.rowCount === 0) return false;
    }
    const { rowCount } = await client.query(
      `UPDATE cost_loads SET state = $4, undone_by = $5, undone_at = CASE WHEN $4 = 'undone' THEN now() END
       WHERE desk_id = $1 AND id = $2 AND state = $3 AND NOT ($4 = 'done' AND kind = 'feed' AND EXISTS
         (SELECT 1 FROM cost_loads o WHERE o.feed_id = cost_loads.feed_id AND o.feed_day = cost_loads.feed_day AND o.state = 'done'))`,
      [deskId, id, from, to, to === 'undone' ? memberId : ''],
    );
    if (rowCount === 0) return false;
    await noteChange(client, deskId, id);
    return true;
  });

/** What a load says of visits has changed: the index looks at its days again. */
export const noteChange = (client: Reads, deskId: string, loadId: string): Promise<unknown> =>
  client.query(
    ...factChange({
      deskId,
      kind: 'cost',
      subjectId: loadId,
      day: new Date().toISOString().slice(0, 10),
      old: null,
      new: null,
    }),
  );

export async function addByHand(pool: Pool, owner: CostOwner, input: CostInput): Promise<CostLoad> {
  const source = await sourceTerms(pool, owner.deskId, input.sourceId);
  await checkScope(pool, owner.deskId, source, input);
  const id = ulid();
  const { campaignId, accountId, from, to, isCredit } = input;
  await pool.query(
    `INSERT INTO cost_loads (id, desk_id, source_id, kind, state, notes, total, made_by) VALUES ($1, $2, $3, 'hand', 'draft', $4, 1, $5)`,
    [id, owner.deskId, source.id, input.notes, owner.memberId],
  );
  await writeEntries(pool, owner.deskId, id, source, [
    {
      campaignId,
      accountId,
      from,
      to,
      isCredit,
      amount: BigInt(input.amountMicros),
      subs: Object.fromEntries(input.subs.map((s) => [s.name, s.value])),
    },
  ]);
  await setState(pool, owner, id, { from: 'draft', to: 'done' });
  return oneLoad(pool, owner.deskId, id);
}

async function checkScope(
  pool: Pool,
  deskId: string,
  source: SourceTerms & { body: SourceInput },
  { campaignId, accountId }: CostInput,
): Promise<void> {
  const refuse = (path: string, message: string): never => {
    throw new Problem('invalid_input', { fields: [{ path, message }] });
  };
  if (accountId !== '' && !source.body.accounts.some((a) => a.name === accountId))
    refuse('accountId', 'This source has no such account.');
  if (campaignId === '') return;
  const { rowCount } = await pool.query(
    `SELECT 1 FROM parts WHERE desk_id = $1 AND id = $2 AND kind = 'campaign' AND body->>'sourceId' = $3`,
    [deskId, campaignId, source.id],
  );
  if (rowCount === 0) refuse('campaignId', 'Choose a campaign of this source.');
}

interface LoadRow extends SortedRow {
  kind: CostLoad['kind'];
  state: 'done' | 'undone';
  source_id: string;
  source_name: string;
  file_name: string;
  notes: string;
  at: Date;
  by: string;
  undone_by: string;
  entries: string;
  from: string | null;
  to: string | null;
  sums: { currency: string; amount: string; credit: string }[] | null;
}
const SELECT = `l.kind, l.state, l.source_id, p.name AS source_name, l.file_name, l.notes, l.made_at AS at, coalesce(m.name, '') AS by,
  coalesce(u.name, '') AS undone_by, e.entries, e.from, e.to, e.sums`;
const FROM = `cost_loads l JOIN parts p ON p.id = l.source_id LEFT JOIN members m ON m.id = l.made_by LEFT JOIN members u ON u.id = l.undone_by
  LEFT JOIN LATERAL (SELECT sum(c.n) AS entries, min(c.first)::text AS from, max(c.last)::text AS to,
      json_agg(json_build_object('currency', c.currency, 'amount', c.amount::text, 'credit', c.credit::text)) AS sums
    FROM (SELECT currency, count(*) AS n, min(first_day) AS first, max(last_day) AS last,
        coalesce(sum(amount_micros) FILTER (WHERE NOT is_credit), 0) AS amount, coalesce(sum(amount_micros) FILTER (WHERE is_credit), 0) AS credit
      FROM cost_entries WHERE load_id = l.id GROUP BY currency) c) e ON true`;
const asLoad = (r: Omit<LoadRow, 'sortValue'>): CostLoad => ({
  id: r.id,
  kind: r.kind,
  isUndone: r.state === 'undone',
  sourceId: r.source_id,
  sourceName: r.source_name,
  fileName: r.file_name,
  notes: r.notes,
  entries: Number(r.entries ?? 0),
  from: r.from ?? '',
  to: r.to ?? '',
  sums: (r.sums ?? []).map(({ currency, amount, credit }) => ({
    currency,
    amountMicros: amount,
    creditMicros: credit,
  })),
  by: r.by,
  at: r.at.toISOString(),
  undoneBy: r.undone_by,
});

export async function oneLoad(pool: Pool, deskId: string, id: string): Promise<CostLoad> {
  const { rows } = await pool.query<LoadRow>(
    `SELECT l.id, ${SELECT} FROM ${FROM} WHERE l.desk_id = $1 AND l.id = $2 AND l.state <> 'draft'`,
    [deskId, id],
  );
  if (!rows[0]) throw new Problem('not_found');
  return asLoad(rows[0]);
}

/** An ID begins with its time. */
const loadSorts: SortColumns = { at: ['l.id', 'text'] };
export async function listLoads(pool: Pool, q: ListQuestion<'listCosts'>): Promise<Page<CostLoad>> {
  const where = new Conditions()
    .add('l.desk_id = ?', q.deskId)
    // What a feed's next run has replaced is nothing that a member did.
    .always(`(l.state = 'done' OR l.state = 'undone' AND (l.kind <> 'feed' OR l.undone_by <> ''))`)
    .narrow('l.source_id = ?', q.source)
    .narrow(`concat_ws(' ', p.name, l.file_name, l.notes) ILIKE ?`, like(q.search));
  const { text, values } = pageQuery(q, loadSorts, { select: SELECT, from: FROM, id: 'l.id', where });
  const { rows } = await pool.query<LoadRow>(text, values);
  return pageOf(rows, q, asLoad);
}

interface EntryRow extends SortedRow {
  campaign_id: string;
  campaign_name: string;
  account_id: string;
  subs: Record<string, string>;
  from: string;
  to: string;
  is_credit: boolean;
  amount_micros: string;
  currency: string;
}
const entrySorts: SortColumns = { n: ['e.n', 'bigint'] };
export async function listEntries(
  pool: Pool,
  q: ListQuestion<'costEntries'>,
  loadId: string,
): Promise<Page<CostEntryRow>> {
  await oneLoad(pool, q.deskId, loadId);
  const where = new Conditions()
    .add('e.load_id = ?', loadId)
    .narrow(`concat_ws(' ', p.name, e.account_id, e.subs::text, e.first_day::text) ILIKE ?`, like(q.search));
  const listed = { ...q, sort: 'n' };
  const { text, values } = pageQuery(listed, entrySorts, {
    select: `e.campaign_id, coalesce(p.name, '') AS campaign_name, e.account_id, e.subs, e.first_day::text AS from, e.last_day::text AS to,
      e.is_credit, e.amount_micros, e.currency`,
    from: `cost_entries e LEFT JOIN parts p ON p.id = e.campaign_id AND e.campaign_id <> ''`,
    id: 'e.n::text',
    where,
  });
  const { rows } = await pool.query<EntryRow>(text, values);
  return pageOf(rows, listed, (r) => ({
    id: r.id,
    campaignId: r.campaign_id,
    campaignName: r.campaign_name,
    accountId: r.account_id,
    subs: Object.entries(r.subs).map(([name, value]) => ({ name, value })),
    from: r.from,
    to: r.to,
    isCredit: r.is_credit,
    amountMicros: r.amount_micros,
    currency: r.currency,
  }));
}
