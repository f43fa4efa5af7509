/**
 * Feeds the index from PostgreSQL, in the order of transactions and each exactly once: what a step read and how far it came
 * are committed together. Later changes are taken as the facts stand by then, so that taking one twice changes nothing.
 */
import { BIGINT, INTEGER, VARCHAR, type DuckDBConnection } from '@duckdb/node-api';
import type { Pool } from 'pg';
import { dimensionOf, personalFields, visitColumns } from '@tracheon/core/visits';
import {
  batchesIn,
  changesIn,
  clickedOf,
  conversionsById,
  nextSpan,
  stepsIn,
  visitsOf,
  type Change,
  type ConversionFact,
  type StepFact,
  type VisitFact,
} from './facts.ts';
import { HISTORY_DAYS } from '../db/factChanges.ts';
import { changedStretches } from './costGround.ts';
import type { CostWatch } from './costWatch.ts';
import { noteUnsettled, stretchesOfCampaigns, together, unsettledBy, type Unsettled } from './unsettled.ts';
import { clickNumbers } from './clickNumbers.ts';
import { ALL_FLAGS, FLAGS } from './flags.ts';
import type { DeskTables, IndexFile, Names } from './indexFile.ts';
import { addConversions, addSteps, addVisits, append } from './indexRows.ts';

/** What a step took in: the desks that it is of, and whether more is waiting already. */
export interface Fed {
  deskIds: readonly string[];
  hasMore: boolean;
}
/** One step: the next transactions that are over. */
export async function feedStep(pool: Pool, index: IndexFile, costs: CostWatch): Promise<Fed> {
  const span = await nextSpan(pool, index.cursor);
  if (!span) return { deskIds: [], hasMore: false };
  const [batches, changes] = [await batchesIn(pool, span), await changesIn(pool, span)];
  const steps = await stepsIn(pool, span);
  if (batches.length === 0 && changes.length === 0 && steps.length === 0) {
    await index.passTo(span.upTo);
    return { deskIds: [], hasMore: span.hasMore };
  }
  const deskIds = [...new Set([...batches, ...changes].map((b) => b.desk_id))];
  const news: DeskNews[] = [];
  for (const deskId of deskIds) {
    const own = batches.filter((b) => b.desk_id === deskId);
    news.push({
      deskId,
      visits: await visitsOf(
        pool,
        deskId,
        own.filter((b) => b.kind === 'visit'),
      ),
      clicked: await clickedOf(
        pool,
        deskId,
        own.filter((b) => b.kind === 'click'),
      ),
      ...(await changed(
        pool,
        index,
        deskId,
        changes.filter((c) => c.desk_id === deskId),
      )),
    });
  }
  const unsettled = await newlyUnsettled(pool, costs, news, changes);
  for (const n of news) await index.makeRoom(n.deskId, namesOf([...n.visits, ...n.conversions]));
  const seen = news.map(({ deskId, visits }) =>
    index.coming(
      deskId,
      visits.flatMap((v) => (v.cost_micros === null ? [] : [v.cost_currency])),
      visits.map((v) => String(v.source_id)),
    ),
  );
  const from: number[] = [];
  await index.takeTo(span.upTo, async () => {
    for (const n of news) from.push(await take(index, n));
    await takeSteps(index, steps);
    await noteUnsettled(index, unsettled);
  });
  for (const [i, n] of news.entries()) await index.written(n.deskId, from[i]!, seen[i]);
  return { deskIds, hasMore: span.hasMore };
}

/** Costs that have to be settled again for what came. */
async function newlyUnsettled(
  pool: Pool,
  costs: CostWatch,
  news: readonly DeskNews[],
  changes: readonly Change[],
): Promise<Unsettled[]> {
  const all: Unsettled[] = [];
  for (const n of news) {
    const subjects = changes
      .filter((c) => c.kind === 'cost' && c.desk_id === n.deskId)
      .map((c) => c.subject_id);
    if (subjects.length > 0) costs.forget(n.deskId);
    const ground = await costs.groundOf(n.deskId);
    if (!ground) continue;
    const changed = [
      ...(await changedStretches(pool, n.deskId, subjects)),
      ...stretchesOfCampaigns(ground, subjects),
      ...unsettledBy(ground, n),
    ];
    all.push(...together(changed).map((s) => ({ deskId: n.deskId, ...s })));
  }
  return all;
}

interface DeskNews {
  deskId: string;
  visits: VisitFact[];
  /** Visits with a click on a button of their page. */
  clicked: string[];
  /** Visits that are no bots after all. */
  cleared: string[];
  /** Visits from which everything personal was taken. */
  erased: string[];
  /** Conversions that changed, by ID; those that are still there follow. */
  changed: string[];
  conversions: ConversionFact[];
}

async function changed(
  pool: Pool,
  index: IndexFile,
  deskId: string,
  changes: readonly Change[],
): Promise<Pick<DeskNews, 'cleared' | 'erased' | 'changed' | 'conversions'>> {
  const of = (kind: Change['kind']): string[] =>
    changes.filter((c) => c.kind === kind).map((c) => c.subject_id);
  const erased = of('erasure');
  const ids = [...new Set([...of('conversion'), ...(await conversionsOf(index, deskId, erased))])];
  return { cleared: of('bot_mark'), erased, changed: ids, conversions: await conversionsById(pool, ids) };
}

async function conversionsOf(
  index: IndexFile,
  deskId: string,
  clickIds: readonly string[],
): Promise<string[]> {
  const tables = index.tablesOf(deskId);
  if (!tables || clickIds.length === 0) return [];
  const rows = await index.rows<{ id: string }>(
    `SELECT id FROM ${tables.conversions} WHERE click_id IN (${clickIds.map((_, i) => `$${i + 1}`).join(', ')})`,
    [...clickIds],
  );
  return rows.map((r) => r.id);
}

export const namesOf = (
  facts: readonly { subs: Record<string, string>; extras?: Record<string, string> }[],
): Names => ({
  subs: new Set(facts.flatMap((f) => Object.keys(f.subs))),
  extras: new Set(facts.flatMap((f) => Object.keys(f.extras ?? {}))),
});

/** Returns the first time of a visit that came or changed; Infinity where none did. */
async function take(index: IndexFile, news: DeskNews): Promise<number> {
  const tables = index.tablesOf(news.deskId)!;
  const { feeding } = index;
  await addVisits(feeding, tables, news.visits);
  const changed = [
    news.visits.reduce((first, v) => Math.min(first, v.at), Infinity),
    await change(feeding, tables, news.clicked, `flags = (flags | ${FLAGS.clicked})::USMALLINT`),
    await change(feeding, tables, news.cleared, `flags = (flags & ${ALL_FLAGS - FLAGS.bot})::USMALLINT`),
  ];
  const emptied = [
    ...personalFields.filter((f) => dimensionOf(f)).map((f) => `${visitColumns[f].name} = ''`),
    ...[...tables.subs.values()].map((column) => `${column} = NULL`),
  ];
  changed.push(await change(feeding, tables, news.erased, emptied.join(', ')));
  if (news.changed.length > 0) {
    await feeding.run('CREATE OR REPLACE TEMP TABLE gone (id VARCHAR)');
    await append(feeding, 'gone', [VARCHAR], [news.changed]);
    await feeding.run(`DELETE FROM ${tables.conversions} WHERE id IN (SELECT id FROM gone)`);
  }
  await addConversions(feeding, tables, news.conversions);
  return Math.min(...changed);
}

/** Older ones are of no use any more. */
async function takeSteps(index: IndexFile, steps: readonly StepFact[]): Promise<void> {
  for (const deskId of new Set(steps.map((s) => s.desk_id))) {
    const tables = index.tablesOf(deskId)!;
    await addSteps(
      index.feeding,
      tables,
      steps.filter((s) => s.desk_id === deskId),
    );
    await index.feeding.run(
      `DELETE FROM ${tables.steps} WHERE booked_at < ${Date.now() - HISTORY_DAYS * 86_400_000}`,
    );
  }
}

/** Visits by their click IDs. The time in them tells where to look. Returns the first time of one that is there. */
async function change(
  feeding: DuckDBConnection,
  { visits }: DeskTables,
  clickIds: readonly string[],
  set: string,
): Promise<number> {
  if (clickIds.length === 0) return Infinity;
  const numbers = clickIds.map(clickNumbers);
  await feeding.run('CREATE OR REPLACE TEMP TABLE meant (ms BIGINT, a INTEGER, b INTEGER, c INTEGER)');
  await append(
    feeding,
    'meant',
    [BIGINT, INTEGER, INTEGER, INTEGER],
    [numbers.map((n) => BigInt(n[0])), ...([1, 2, 3] as const).map((i) => numbers.map((n) => n[i]))],
  );
  const times = numbers.map((n) => n[0]);
  const [first, last] = times.reduce(([a, b], t) => [Math.min(a, t), Math.max(b, t)], [Infinity, 0]);
  const reader = await feeding.runAndReadAll(
    `UPDATE ${visits} AS v SET ${set} FROM meant m
     WHERE v.id_ms BETWEEN ${first} AND ${last} AND v.id_ms = m.ms AND v.id_a = m.a AND v.id_b = m.b AND v.id_c = m.c
     RETURNING v.visit_at::DOUBLE`,
  );
  return (reader.getRowsJS() as [number][]).reduce((least, [at]) => Math.min(least, at), Infinity);
}
