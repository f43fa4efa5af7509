/**
 * Several records changed, or several campaigns made, together: all of them or none. A change is kept with the versions
 * that it made, so that it can be undone as a whole, as long as none of its records has been changed since.
 */
import { isDeepStrictEqual } from 'node:util';
import { Op, type Transaction } from 'sequelize';
import { ulid } from 'ulid';
import {
  partWords,
  wholeBody,
  type ChangeAnswer,
  type ChangeRow,
  type PartKind,
  type PartRecord,
} from '@tracheon/core/contract';
import { usersFirst } from '@tracheon/core/parts';
import { memberNames } from '../db/memberNames.ts';
import type { ChangeItem, Models } from '../db/models.ts';
import type { PartChangeAttributes } from '../db/records/parts.ts';
import { bumpConfiguration, inTransaction } from '../db/transaction.ts';
import { Problem } from '../problems/problem.ts';
import type { Editor } from './partRecords.ts';
import { followShared, makePart, setStateWithin, updateWithin } from './partsStore.ts';

/** In place of the version before: there was none. */
const CREATED = 0;

const MAX_LISTED = 100;

export function makeCampaigns(
  models: Models,
  by: Editor,
  words: string,
  bodies: readonly unknown[],
): Promise<PartRecord[]> {
  return inTransaction(models, async (transaction) => {
    const made: PartRecord[] = [];
    for (const [i, body] of bodies.entries())
      made.push(await makePart(models, by, 'campaign', body, transaction).catch((e: unknown) => atRow(e, i)));
    const items = made.map((m) => ({ id: m.id, kind: m.kind, from: CREATED, to: m.version }));
    await keep(models, by, words, items, transaction);
    await bumpConfiguration(models, by.deskId, transaction);
    return made;
  });
}

/** What is wrong with one of many is said with its place among them. */
function atRow(error: unknown, i: number): never {
  if (error instanceof Problem && error.more.fields)
    throw new Problem(error.code, {
      ...error.more,
      fields: error.more.fields.map((f) => ({ ...f, path: `${i}.${f.path}` })),
    });
  throw error;
}

interface Change {
  id: string;
  version: number;
  body?: unknown;
  state?: PartRecord['state'] | undefined;
}

/** A new body and a new state are two versions of the record. */
async function applyChange(
  models: Models,
  by: Editor,
  kind: PartKind,
  { id, version, body, state }: Change,
  transaction: Transaction,
): Promise<PartRecord> {
  let seen = version;
  if (body !== undefined) {
    const record = await updateWithin(models, by, kind, id, seen, body, transaction);
    if (state === undefined) return record;
    seen = record.version;
  }
  return setStateWithin(models, by, kind, id, seen, state!, transaction);
}

export function changeInBulk(
  models: Models,
  by: Editor,
  words: string,
  changes: readonly Change[],
): Promise<ChangeAnswer> {
  return inTransaction(models, async (transaction) => {
    const items: ChangeItem[] = [];
    const records: PartRecord[] = [];
    const kinds = await kindsOf(
      models,
      by.deskId,
      changes.map((c) => c.id),
      transaction,
    );
    // In one order everywhere, so that two changes of the same records never wait for each other: who uses comes before
    // what is used, so that both can be archived together.
    const rank = ({ id }: Change): string => `${usersFirst.indexOf(kinds.get(id) ?? 'campaign')}${id}`;
    const order = [...changes.entries()].sort(([, a], [, b]) => (rank(a) < rank(b) ? -1 : 1));
    for (const [i, c] of order) {
      const kind = kinds.get(c.id);
      if (!kind) throw new Problem('not_found');
      const record = await applyChange(models, by, kind, c, transaction).catch((e: unknown) => atRow(e, i));
      items.push({ id: c.id, kind, from: c.version, to: record.version });
      records.push(record);
    }
    for (const { record, from } of await followShared(models, by, records, transaction)) {
      items.push({ id: record.id, kind: 'campaign', from, to: record.version });
      records.push(record);
    }
    const change = await keep(models, by, words, items, transaction);
    await bumpConfiguration(models, by.deskId, transaction);
    return { change, records };
  });
}

async function kindsOf(
  models: Models,
  deskId: string,
  ids: string[],
  transaction: Transaction,
): Promise<Map<string, PartKind>> {
  const rows = await models.Part.findAll({
    where: { deskId, id: { [Op.in]: ids } },
    attributes: ['id', 'kind'],
    transaction,
  });
  return new Map(rows.map((r) => [r.get().id, r.get().kind]));
}

async function keep(
  models: Models,
  by: Editor,
  words: string,
  items: ChangeItem[],
  transaction: Transaction,
): Promise<ChangeRow> {
  const { deskId, memberId } = by;
  const change = { id: ulid(), deskId, words, items, madeBy: memberId, madeAt: new Date(), undoneAt: null };
  await models.PartChange.create(change, { transaction });
  return asRow(change, await memberNames(models, [memberId], transaction));
}

const asRow = (c: PartChangeAttributes, nameOf: (id: string) => string): ChangeRow => ({
  id: c.id,
  words: c.words,
  at: c.madeAt.toISOString(),
  by: nameOf(c.madeBy),
  count: c.items.length,
  undone: c.undoneAt !== null,
});

export async function listChanges(models: Models, deskId: string): Promise<ChangeRow[]> {
  const rows = await models.PartChange.findAll({
    where: { deskId },
    order: [['id', 'DESC']],
    limit: MAX_LISTED,
  });
  const changes = rows.map((r) => r.get());
  const nameOf = await memberNames(
    models,
    changes.map((c) => c.madeBy),
  );
  return changes.map((c) => asRow(c, nameOf));
}

/** Undone twice is undone once: the second finds it done, and changes nothing. */
export function undoChange(models: Models, by: Editor, id: string): Promise<ChangeAnswer> {
  return inTransaction(models, async (transaction) => {
    const where = { deskId: by.deskId, id };
    const found = await models.PartChange.findOne({ where, lock: transaction.LOCK.UPDATE, transaction });
    if (!found) throw new Problem('not_found');
    const change = { ...found.get() };
    const records: PartRecord[] = [];
    if (change.undoneAt === null) {
      for (const item of change.items) records.push(await bringBack(models, by, item, transaction));
      const followers = await followShared(models, by, records, transaction);
      records.push(...followers.map((f) => f.record));
      change.undoneAt = new Date();
      await models.PartChange.update({ undoneAt: change.undoneAt }, { where, transaction });
    }
    await bumpConfiguration(models, by.deskId, transaction);
    return { change: asRow(change, await memberNames(models, [change.madeBy], transaction)), records };
  });
}

/** A record as it was before; one that was created is archived. Refused when it was changed since. */
async function bringBack(
  models: Models,
  by: Editor,
  { id, kind, from, to }: ChangeItem,
  transaction: Transaction,
): Promise<PartRecord> {
  try {
    if (from === CREATED) return await setStateWithin(models, by, kind, id, to, 'archived', transaction);
    const versions = await models.PartVersion.findAll({
      where: { partId: id, version: [from, to], deskId: by.deskId },
      order: [['version', 'ASC']],
      transaction,
    });
    const [before, after] = versions.map((v) => v.get());
    if (!before || !after) throw new Problem('not_found');
    const isSameState = before.state === after.state;
    const isSameBody = isDeepStrictEqual(before.body, after.body);
    const change: Change = {
      id,
      version: to,
      ...(isSameBody && !isSameState ? {} : { body: wholeBody(kind, before.body) }),
      ...(isSameState ? {} : { state: before.state as PartRecord['state'] }),
    };
    return await applyChange(models, by, kind, change, transaction);
  } catch (error) {
    if (error instanceof Problem && error.code === 'changed_meanwhile')
      throw new Problem('changed_meanwhile', {
        ...error.more,
        detail: `The ${partWords[kind]} ${error.more.current?.body.name ?? ''} was changed later, so nothing was undone.`,
      });
    throw error;
  }
}
