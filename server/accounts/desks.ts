/** The desks of one member: which there are, and which is in use. */
import type { Role } from '@tracheon/core/contract';
import type { Models } from '../db/models.ts';
import { inTransaction } from '../db/transaction.ts';
import { Problem } from '../problems/problem.ts';
import { makeDeskOf } from './accounts.ts';

export interface DeskOfMember {
  id: string;
  name: string;
  role: Role;
}

export async function desksOf(models: Models, memberId: string): Promise<DeskOfMember[]> {
  const memberships = await models.Membership.findAll({ where: { memberId } });
  const roleOf = new Map(memberships.map((m) => [m.get().deskId, m.get().role]));
  const desks = await models.Desk.findAll({ where: { id: [...roleOf.keys()] }, attributes: ['id', 'name'] });
  const byName = desks
    .map((d) => d.get())
    .sort((a, b) => a.name.localeCompare(b.name) || (a.id < b.id ? -1 : 1));
  return byName.map(({ id, name }) => ({ id, name, role: roleOf.get(id)! }));
}

/** Also where the next sign-in leads. */
export async function switchDesk(models: Models, memberId: string, deskId: string): Promise<void> {
  if (!(await models.Membership.findOne({ where: { memberId, deskId } }))) throw new Problem('not_found');
  await models.Member.update({ lastDeskId: deskId }, { where: { id: memberId } });
}

/** Returns the ID of the new desk, which the member owns. */
export function makeAnotherDesk(
  models: Models,
  memberId: string,
  desk: { name: string; zone: string; currency: string },
): Promise<string> {
  return inTransaction(models, (transaction) =>
    makeDeskOf(models, memberId, { ...desk, isDemo: false }, transaction),
  );
}
