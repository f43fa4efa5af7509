/** Figures that a desk makes of the known ones by a formula. */
import { col, fn, Op, where } from 'sequelize';
import { ulid } from 'ulid';
import { MAX_OWN_FIGURES, type OwnFigure, type OwnFigureInput } from '@tracheon/core/contract';
import { memberNames } from '../db/memberNames.ts';
import type { Models } from '../db/models.ts';
import type { OwnFigureAttributes } from '../db/records/lists.ts';
import { inTransaction } from '../db/transaction.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { Problem } from '../problems/problem.ts';

export function ownFigureRoutes(mount: Mount, { models }: ApiGround): void {
  mount('listOwnFigures', async ({ signed: { deskId } }) => {
    const rows = await models.OwnFigure.findAll({
      where: { deskId },
      order: [[fn('lower', col('name')), 'ASC']],
    });
    return asRows(
      models,
      rows.map((r) => r.get()),
    );
  });
  mount('saveOwnFigure', async ({ signed, body }) => {
    const figure = await save(models, signed, body);
    return (await asRows(models, [figure]))[0]!;
  });
  mount('removeOwnFigure', async ({ signed: { deskId }, id }) => {
    if ((await models.OwnFigure.destroy({ where: { deskId, id } })) === 0) throw new Problem('not_found');
    return {};
  });
}

/** One of the same name keeps its ID, so that views which show it go on. */
function save(
  models: Models,
  { deskId, memberId }: { deskId: string; memberId: string },
  { name, formula, format }: OwnFigureInput,
): Promise<OwnFigureAttributes> {
  return inTransaction(models, async (transaction) => {
    await models.Desk.findByPk(deskId, { attributes: ['id'], lock: transaction.LOCK.UPDATE, transaction });
    const isSame = where(fn('lower', col('name')), name.toLowerCase());
    const before = await models.OwnFigure.findOne({ where: { [Op.and]: [{ deskId }, isSame] }, transaction });
    if (!before && (await models.OwnFigure.count({ where: { deskId }, transaction })) >= MAX_OWN_FIGURES)
      throw new Problem('invalid_input', {
        fields: [
          { path: 'name', message: `A desk keeps at most ${MAX_OWN_FIGURES} figures. Delete one first.` },
        ],
      });
    const id = before?.get().id ?? ulid();
    const figure = { id, deskId, name, formula, format, savedBy: memberId, savedAt: new Date() };
    await models.OwnFigure.upsert(figure, { transaction });
    return figure;
  });
}

async function asRows(models: Models, figures: readonly OwnFigureAttributes[]): Promise<OwnFigure[]> {
  const nameOf = await memberNames(
    models,
    figures.map((f) => f.savedBy),
  );
  return figures.map(({ id, name, formula, format, savedBy, savedAt }) => ({
    id,
    name,
    formula,
    format,
    by: nameOf(savedBy),
    at: savedAt.toISOString(),
  }));
}
