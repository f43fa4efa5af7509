/**
 * Setup sheets: drafts of whole chains, shared by the members of a desk. Two members who change different fields do not
 * collide; the same field changed by both is refused to the second, who sees what the first wrote.
 */
import { Op } from 'sequelize';
import { ulid } from 'ulid';
import {
  blankSheet,
  type OpenSheet,
  type SheetAnswer,
  type SheetBody,
  type SheetRow,
} from '@tracheon/core/contract';
import { memberNames } from '../db/memberNames.ts';
import type { Models } from '../db/models.ts';
import type { SetupSheetAttributes } from '../db/records/setup.ts';
import { inTransaction } from '../db/transaction.ts';
import type { Editor } from '../parts/partRecords.ts';
import { Problem } from '../problems/problem.ts';

/** Who has asked for a sheet within this time has it open; browsers ask every ten seconds. */
const PRESENT_MS = 25_000;
/** Drafts beyond this many are found by nobody. */
const MAX_LISTED = 200;

const asRow = (s: SetupSheetAttributes, nameOf: (id: string) => string): SheetRow => ({
  id: s.id,
  version: s.version,
  body: { ...blankSheet, ...s.body },
  changedAt: s.changedAt.toISOString(),
  changedBy: nameOf(s.changedBy),
  campaignId: s.campaignId,
});

export async function listSheets(models: Models, deskId: string): Promise<SheetRow[]> {
  const found = await models.SetupSheet.findAll({
    where: { deskId, campaignId: null },
    order: [['changedAt', 'DESC']],
    limit: MAX_LISTED,
  });
  const sheets = found.map((s) => s.get());
  const nameOf = await memberNames(
    models,
    sheets.map((s) => s.changedBy),
  );
  return sheets.map((s) => asRow(s, nameOf));
}

export async function createSheet(models: Models, by: Editor, body: Partial<SheetBody>): Promise<OpenSheet> {
  const id = ulid();
  await models.SetupSheet.create({
    id,
    deskId: by.deskId,
    version: 1,
    body: { ...blankSheet, ...body },
    changedBy: by.memberId,
    changedAt: new Date(),
  });
  return openSheet(models, by, id);
}

/** Whoever opens it is there for the others to see. */
export async function openSheet(models: Models, by: Editor, id: string): Promise<OpenSheet> {
  const found = await models.SetupSheet.findOne({ where: { deskId: by.deskId, id } });
  if (!found) throw new Problem('not_found');
  const now = new Date();
  await models.SetupPresence.upsert({ sheetId: id, memberId: by.memberId, at: now });
  const others = await models.SetupPresence.findAll({
    where: {
      sheetId: id,
      memberId: { [Op.ne]: by.memberId },
      at: { [Op.gt]: new Date(now.getTime() - PRESENT_MS) },
    },
  });
  const present = others.map((o) => o.get().memberId);
  const sheet = found.get();
  const nameOf = await memberNames(models, [sheet.changedBy, ...present]);
  return { ...asRow(sheet, nameOf), others: present.map(nameOf).sort() };
}

export async function changeSheet(
  models: Models,
  by: Editor,
  id: string,
  seen: number,
  changes: Partial<SheetBody>,
): Promise<SheetAnswer> {
  const where = { deskId: by.deskId, id };
  const collided = await inTransaction(models, async (transaction) => {
    const found = await models.SetupSheet.findOne({ where, lock: transaction.LOCK.UPDATE, transaction });
    if (!found) throw new Problem('not_found');
    const now = found.get();
    if (now.campaignId !== null) throw new Problem('already_live');
    const fields = Object.keys(changes);
    const theirs = fields.filter((f) => {
      const last = now.changedIn[f];
      return last !== undefined && last.version > seen && last.by !== by.memberId;
    });
    if (theirs.length > 0) return theirs.map((field) => ({ field, by: now.changedIn[field]!.by }));
    if (fields.length === 0) return [];
    const version = now.version + 1;
    const stamp = Object.fromEntries(fields.map((f) => [f, { version, by: by.memberId }]));
    await models.SetupSheet.update(
      {
        version,
        body: { ...now.body, ...changes },
        changedIn: { ...now.changedIn, ...stamp },
        changedBy: by.memberId,
        changedAt: new Date(),
      },
      { where, transaction },
    );
    return [];
  });
  const nameOf = await memberNames(
    models,
    collided.map((c) => c.by),
  );
  return {
    sheet: await openSheet(models, by, id),
    collided: collided.map((c) => ({ field: c.field, by: nameOf(c.by) })),
  };
}

export async function removeSheet(models: Models, deskId: string, id: string): Promise<void> {
  if ((await models.SetupSheet.destroy({ where: { deskId, id } })) === 0) throw new Problem('not_found');
}
