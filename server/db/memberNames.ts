/** Names of the members who made or changed something; of one who is gone, an empty text. */
import type { Transaction } from 'sequelize';
import type { Models } from './models.ts';

export async function memberNames(
  models: Pick<Models, 'Member'>,
  ids: readonly (string | null)[],
  transaction: Transaction | null = null,
): Promise<(id: string | null) => string> {
  const wanted = [...new Set(ids.filter((id) => id !== null))];
  if (wanted.length === 0) return () => '';
  const members = await models.Member.findAll({
    where: { id: wanted },
    attributes: ['id', 'name'],
    transaction,
  });
  const names = new Map(members.map((m) => [m.get().id, m.get().name]));
  return (id) => (id === null ? '' : (names.get(id) ?? ''));
}
