/**
 * Several records changed, or several campaigns made, together: all of them or none. A change is kept with the versions
 * that it made, so that it can be undone as a whole, as long as none of its records has been changed since.
 */
import { isDeepStrictEqual } from 'node:util';
import { Op, type Transaction } from 'sequelize';
import { ulid } from 'ulid';
import {
  wholeBody,
  type ChangeAnswer,
  type ChangeRow,
  type PartKind,
  type PartRecord,
} from '@tracheon/core/contract';
import { usersFirst } from '@tracheon/core/parts';
import type { Pool } from 'pg';
import type { Models } from '../db/models.ts';
import { bumpConfiguration, inTransaction } from '../db/transaction.ts';
import { Problem } from '../problems/problem.ts';
import { kindWord, makePart, setStateWithin, updateWithin, type Editor } from './partsStore.ts';

/** In place of the version before: there was none. */
const CREATED = 0;

interface Item {
  id: string;
  kind: PartKind;
  from: number;
  to: number;
}
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
    await bumpConfiguration(models, transaction);
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
    const items: Item[] = [];
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
    const change = await keep(models, by, words, items, transaction);
    await bumpConfiguration(models, transaction);
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
  items: Item[],
  transaction: Transaction,
): Promise<ChangeRow> {
  const id = ulid();
  await models.sequelize.query(
    'INSERT INTO part_changes (id, desk_id, words, items, made_by) VALUES (:id, :deskId, :words, :items, :by)',
    {
      replacements: { id, deskId: by.deskId, words, items: JSON.stringify(items), by: by.memberId },
      transaction,
    },
  );
  const member = await models.Member.findByPk(by.memberId, { transaction });
  return {
    id,
    words,
    at: new Date().toISOString(),
    by: member?.get().name ?? '',
    count: items.length,
    undone: false,
  };
}

export async function listChanges(pool: Pool, deskId: string): Promise<ChangeRow[]> {
  const { rows } = await pool.query<ChangeRow & { at: Date | string }>(
    `SELECT c.id, c.words, c.made_at AS at, coalesce(m.name, '') AS by, jsonb_array_length(c.items) AS count,
       c.undone_at IS NOT NULL AS undone
     FROM part_changes c LEFT JOIN members m ON m.id = c.made_by WHERE c.desk_id = $1 ORDER BY c.id DESC LIMIT ${MAX_LISTED}`,
    [deskId],
  );
  return rows.map((r) => ({ ...r, at: new Date(r.at).toISOString() }));
}

/** Undone twice is undone once: the second finds it done, and changes nothing. */
export function undoChange(models: Models, by: Editor, id: string): Promise<ChangeAnswer> {
  return inTransaction(models, async (transaction) => {
    const [rows] = (await models.sequelize.query(
      `SELECT c.words, c.items, c.made_at AS at, c.undone_at IS NOT NULL AS undone, coalesce(m.name, '') AS by
       FROM part_changes c LEFT JOIN members m ON m.id = c.made_by WHERE c.desk_id = :deskId AND c.id = :id FOR UPDATE OF c`,
      { replacements: { deskId: by.deskId, id }, transaction },
    )) as [{ words: string; items: Item[]; at: Date; undone: boolean; by: string }[], unknown];
    const [found] = rows;
    if (!found) throw new Problem('not_found');
    const records: PartRecord[] = [];
    if (!found.undone)
      for (const item of found.items) records.push(await bringBack(models, by, item, transaction));
    await models.sequelize.query(
      'UPDATE part_changes SET undone_at = coalesce(undone_at, now()) WHERE id = :id',
      { replacements: { id }, transaction },
    );
    await bumpConfiguration(models, transaction);
    const change = { id, words: found.words, at: found.at.toISOString(), by: found.by };
    return { change: { ...change, count: found.items.length, undone: true }, records };
  });
}

/** A record as it was before; one that was created is archived. Refused when it was changed since. */
async function bringBack(
  models: Models,
  by: Editor,
  { id, kind, from, to }: Item,
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
        detail: `The ${kindWord[kind]} ${error.more.current?.body.name ?? ''} was changed later, so nothing was undone.`,
      });
    throw error;
  }
}
