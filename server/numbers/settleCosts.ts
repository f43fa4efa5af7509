/**
 * Settles the costs of a source within a stretch of time: which visits follow which entry, or a model that is known only
 * later, and how much each of them costs, exactly. Each slice is one transaction; done again it changes nothing.
 */
import type { Pool } from 'pg';
import { entriesAround, FIRST_MS, LAST_MS } from './costEntries.ts';
import type { CostGround, Stretch } from './costGround.ts';
import { inTransaction } from './indexTransaction.ts';
import type { IndexFile } from './indexFile.ts';
import { Settling } from './settling.ts';
import { forgetUnsettled, type Unsettled } from './unsettled.ts';

const DAY_MS = 86_400_000;
const MAX_SLICE_DAYS = 30;

/** Day by day, so that neither many entries nor many visits are in memory at once; entries of longer periods come whole. */
export async function settleCosts(
  pool: Pool,
  index: IndexFile,
  ground: CostGround,
  of: Unsettled,
  signal?: AbortSignal,
): Promise<void> {
  const within = await bounded(index, ground, of);
  for (let at = within.from; at < within.to;) {
    signal?.throwIfAborted();
    const slice = { from: at, to: Math.min(sliceEnd(ground, of.sourceId, at), within.to) };
    at = Math.max(slice.to, (await settleSlice(pool, index, ground, { ...of, ...slice })).to);
  }
  await inTransaction(index.feeding, async () => {
    await forgetUnsettled(index, of);
  });
}

/** A day where there are entries; a longer time without any is one piece of work. */
function sliceEnd(ground: CostGround, sourceId: string, at: number): number {
  const next = ground.entered.get(sourceId)?.find((s) => s.to > at);
  if (next && next.from <= at) return at + DAY_MS;
  return Math.min(at + MAX_SLICE_DAYS * DAY_MS, next?.from ?? Infinity);
}

/** Only as far as there are visits, entries, or costs that belong to no visit. */
async function bounded(index: IndexFile, ground: CostGround, of: Unsettled): Promise<Stretch> {
  const { visits, extras } = await index.makeRoom(of.deskId, { subs: new Set(), extras: new Set() });
  const times = (table: string): string =>
    `SELECT min(visit_at)::DOUBLE AS first, max(visit_at)::DOUBLE AS last FROM ${table} WHERE source_id = $1`;
  const found = await index.rows<{ first: number | null; last: number | null }>(
    `${times(visits)} UNION ALL ${times(extras)}`,
    [of.sourceId],
  );
  const ends = [
    ...found.flatMap(({ first, last }) => (first === null || last === null ? [] : [first, last + 1])),
    ...(ground.entered.get(of.sourceId) ?? []).flatMap((s) => [s.from, s.to]),
  ];
  return {
    from: Math.max(of.from, FIRST_MS, Math.min(...ends)),
    to: Math.min(of.to, LAST_MS, Math.max(...ends)),
  };
}

async function settleSlice(
  pool: Pool,
  index: IndexFile,
  ground: CostGround,
  of: Unsettled,
): Promise<Stretch> {
  const { entries, stretch } = await entriesAround(pool, ground, of, of);
  const subs = new Set(entries.flatMap((e) => Object.keys(e.subs)));
  const tables = await index.makeRoom(of.deskId, { subs: new Set(subs), extras: new Set() });
  const work = new Settling(index.feeding, tables, ground, { ...of, ...stretch });
  await inTransaction(index.feeding, async () => {
    await work.prepare(entries);
    await work.settle(entries);
    await index.noteSetCosts(of.deskId);
  });
  await index.written(of.deskId, stretch.from);
  return stretch;
}
