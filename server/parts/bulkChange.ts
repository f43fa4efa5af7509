/**
 * Several records changed, or several campaigns made, together: all of them or none. A change is kept with the versions
 * that it made, so that it can be undone as a whole, as long as none of its records has been changed since.
 */
import { Op, type Transaction } from 'sequelize';
import { ulid } from 'ulid';
import {
  wholeBody,
  type ChangeAnswer,
  type ChangeRow,
  type PartKind,
  type PartRecord,
} from '@tracheon/core/contract';
import type { Pool } from 'pg';
import type { Models } from '../db/models.ts';
import { Problem } from '../http/problem.ts';
import { bumpConfiguration, kindWord, makePart, updateWithin, type Editor } from './partsStore.ts';

interface Item {
  id: string;
  kind: PartKind;
  from: number;
  to: number;
}
const MAX_LISTED = 100;

export function makeCampaigns(models: Models, by: Editor, bodies: readonly unknown[]): Promise<PartRecord[]> {
  return models.sequelize.transaction(async (transaction) => {
    const made: PartRecord[] = [];
    for (const [i, body] of bodies.entries())
      made.push(await makePart(models, by, 'campaign', body, transaction).catch((e: unknown) => atRow(e, i)));
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

export function changeInBulk(
  models: Models,
  by: Editor,
  words: string,
  changes: readonly { id: string; version: number; body?: unknown }[],
): Promise<ChangeAnswer> {
  return models.sequelize.transaction(async (transaction) => {
    const items: Item[] = [];
    const records: PartRecord[] = [];
    // In one order everywhere, so that two changes of the same records never wait for each other.
    const order = [...changes.entries()].sort(([, a], [, b]) => (a.id < b.id ? -1 : 1));
    const kinds = await kindsOf(
      models,
      by.deskId,
      changes.map((c) => c.id),
      transaction,
    );
    for (const [i, c] of order) {
      const kind = kinds.get(c.id);
      if (!kind) throw new Problem('not_found');
      const record = await updateWithin(models, by, kind, c.id, c.version, c.body, transaction).catch(
        (e: unknown) => atRow(e, i),
      );
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
  return models.sequelize.transaction(async (transaction) => {
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

async function bringBack(
  models: Models,
  by: Editor,
  item: Item,
  transaction: Transaction,
): Promise<PartRecord> {
  const before = await models.PartVersion.findOne({
    where: { partId: item.id, version: item.from, deskId: by.deskId },
    transaction,
  });
  if (!before) throw new Problem('not_found');
  const body = wholeBody(item.kind, before.get().body);
  return updateWithin(models, by, item.kind, item.id, item.to, body, transaction).catch((error: unknown) => {
    if (error instanceof Problem && error.code === 'changed_meanwhile')
      throw new Problem('changed_meanwhile', {
        ...error.more,
        detail: `The ${kindWord[item.kind]} ${error.more.current?.body.name ?? ''} was changed later, so nothing was undone.`,
      });
    throw error;
  });
}
