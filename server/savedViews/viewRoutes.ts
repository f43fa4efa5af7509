/** Views of Numbers that a desk keeps under a name. */
import { col, fn, Op, where } from 'sequelize';
import { ulid } from 'ulid';
import { MAX_VIEWS, type ViewRow } from '@tracheon/core/contract';
import { memberNames } from '../db/memberNames.ts';
import type { Models } from '../db/models.ts';
import type { SavedViewAttributes } from '../db/records/lists.ts';
import { inTransaction } from '../db/transaction.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { Problem } from '../problems/problem.ts';

export function viewRoutes(mount: Mount, { models }: ApiGround): void {
  mount('listViews', async ({ signed: { deskId } }) => {
    const rows = await models.SavedView.findAll({
      where: { deskId },
      order: [[fn('lower', col('name')), 'ASC']],
    });
    return asRows(
      models,
      rows.map((r) => r.get()),
    );
  });
  mount('saveView', async ({ signed, body }) => {
    const view = await save(models, signed, body);
    return (await asRows(models, [view]))[0]!;
  });
  mount('removeView', async ({ signed: { deskId }, id }) => {
    if ((await models.SavedView.destroy({ where: { deskId, id } })) === 0) throw new Problem('not_found');
    return {};
  });
}

/** Two members who save the same name at once: the later one stays. */
function save(
  models: Models,
  { deskId, memberId }: { deskId: string; memberId: string },
  { name, query }: { name: string; query: string },
): Promise<SavedViewAttributes> {
  return inTransaction(models, async (transaction) => {
    await models.Desk.findByPk(deskId, { attributes: ['id'], lock: transaction.LOCK.UPDATE, transaction });
    const isSame = where(fn('lower', col('name')), name.toLowerCase());
    await models.SavedView.destroy({ where: { [Op.and]: [{ deskId }, isSame] }, transaction });
    if ((await models.SavedView.count({ where: { deskId }, transaction })) >= MAX_VIEWS)
      throw new Problem('invalid_input', {
        fields: [{ path: 'name', message: `A desk keeps at most ${MAX_VIEWS} views. Delete one first.` }],
      });
    const view = { id: ulid(), deskId, name, query, savedBy: memberId, savedAt: new Date() };
    await models.SavedView.create(view, { transaction });
    return view;
  });
}

async function asRows(models: Models, views: readonly SavedViewAttributes[]): Promise<ViewRow[]> {
  const nameOf = await memberNames(
    models,
    views.map((v) => v.savedBy),
  );
  return views.map(({ id, name, query, savedBy, savedAt }) => ({
    id,
    name,
    query,
    by: nameOf(savedBy),
    at: savedAt.toISOString(),
  }));
}
