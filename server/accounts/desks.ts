/** The desks of one member: which there are, and which is in use. */
import type { Pool } from 'pg';
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

export async function desksOf(pool: Pool, memberId: string): Promise<DeskOfMember[]> {
  const { rows } = await pool.query<DeskOfMember>(
    `SELECT d.id, d.name, m.role FROM memberships m JOIN desks d ON d.id = m.desk_id
     WHERE m.member_id = $1 ORDER BY lower(d.name), d.id`,
    [memberId],
  );
  return rows;
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
