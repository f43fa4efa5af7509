/** The block and allow lists of sources: what is on them, why, and what was on them before. */
import { Op, type Transaction } from 'sequelize';
import { ulid } from 'ulid';
import type { ListEntry, ListInput, ListKind } from '@tracheon/core/contract';
import { memberNames } from '../db/memberNames.ts';
import type { Models } from '../db/models.ts';
import type { ListEntryAttributes } from '../db/records/lists.ts';
import { inTransaction } from '../db/transaction.ts';
import { Problem } from '../problems/problem.ts';

/** Newest first; more are read by nobody. */
const MAX_ENTRIES = 5000;

export interface ListEditor {
  deskId: string;
  memberId: string;
}

export async function listEntries(models: Models, deskId: string, sourceId: string): Promise<ListEntry[]> {
  const rows = await models.ListEntry.findAll({
    where: { deskId, sourceId },
    order: [['id', 'DESC']],
    limit: MAX_ENTRIES,
  });
  return asAnswers(
    models,
    rows.map((r) => r.get()),
  );
}

async function asAnswers(
  models: Models,
  rows: readonly ListEntryAttributes[],
  transaction: Transaction | null = null,
): Promise<ListEntry[]> {
  const nameOf = await memberNames(
    models,
    rows.flatMap((r) => [r.addedBy, r.removedBy]),
    transaction,
  );
  return rows.map((r) => ({
    id: r.id,
    sourceId: r.sourceId,
    sub: r.sub,
    value: r.value,
    list: r.list,
    reason: r.reason,
    profitPerDayMicros: r.profitPerDayMicros,
    by: nameOf(r.addedBy),
    at: r.addedAt.toISOString(),
    removedBy: nameOf(r.removedBy),
    removedAt: r.removedAt?.toISOString() ?? null,
  }));
}

/** Which list each value of a sub-ID is on. */
export async function listsOf(
  models: Models,
  deskId: string,
  { sourceId, sub }: { sourceId: string; sub: string },
): Promise<Map<string, ListKind>> {
  const rows = await models.ListEntry.findAll({
    where: { deskId, sourceId, sub, removedAt: null },
    attributes: ['value', 'list'],
  });
  return new Map(rows.map((r) => [r.get().value, r.get().list]));
}

/** What is on this list already stays as it is; what is on the other one moves. Returns what was added. */
export const addToList = (models: Models, by: ListEditor, input: ListInput): Promise<ListEntry[]> =>
  inTransaction(models, (transaction) => addToListWithin(models, by, input, transaction));

export async function addToListWithin(
  models: Models,
  { deskId, memberId }: ListEditor,
  { sourceId, sub, list, values, days }: ListInput,
  transaction: Transaction,
): Promise<ListEntry[]> {
  const where = { deskId, kind: 'source', id: sourceId };
  // Two members who add at once do it one after the other.
  const source = await models.Part.findOne({ where, lock: transaction.LOCK.UPDATE, transaction });
  if (!source) throw new Problem('not_found');
  const there = await models.ListEntry.findAll({
    where: { deskId, sourceId, sub, removedAt: null, value: { [Op.in]: values.map((v) => v.value) } },
    transaction,
  });
  const same = new Set(there.filter((e) => e.get().list === list).map((e) => e.get().value));
  const moving = there.filter((e) => e.get().list !== list).map((e) => e.get().id);
  await takeOff(models, { deskId, memberId }, moving, transaction);
  const wanted = new Map(values.filter((v) => !same.has(v.value)).map((v) => [v.value, v]));
  const added = [...wanted.values()].map(({ value, profitMicros, reason }): ListEntryAttributes => ({
    id: ulid(),
    deskId,
    sourceId,
    sub,
    value,
    list,
    reason,
    profitPerDayMicros: profitMicros === null ? null : String(BigInt(profitMicros) / BigInt(days)),
    addedBy: memberId,
    addedAt: new Date(),
    removedBy: null,
    removedAt: null,
  }));
  await models.ListEntry.bulkCreate(added, { transaction });
  return asAnswers(models, added, transaction);
}

export async function takeOff(
  models: Models,
  { deskId, memberId }: ListEditor,
  ids: readonly string[],
  transaction: Transaction,
): Promise<void> {
  await models.ListEntry.update(
    { removedBy: memberId, removedAt: new Date() },
    { where: { deskId, id: { [Op.in]: [...ids] }, removedAt: null }, transaction },
  );
}

/** Those that are off already stay as they are. */
export function removeFromList(models: Models, by: ListEditor, ids: readonly string[]): Promise<ListEntry[]> {
  return inTransaction(models, async (transaction) => {
    await takeOff(models, by, ids, transaction);
    const rows = await models.ListEntry.findAll({
      where: { deskId: by.deskId, id: { [Op.in]: [...ids] } },
      transaction,
    });
    if (rows.length === 0) throw new Problem('not_found');
    return asAnswers(
      models,
      rows.map((r) => r.get()),
      transaction,
    );
  });
}
