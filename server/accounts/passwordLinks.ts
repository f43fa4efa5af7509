/** A new password by a link that works once, for a day: an owner makes it and hands it over. Only its hash is kept. */
import { createHash, randomBytes } from 'node:crypto';
import { Op } from 'sequelize';
import type { Models } from '../db/models.ts';
import { inTransaction } from '../db/transaction.ts';
import { Problem } from '../problems/problem.ts';
import { hashPassword } from './passwords.ts';
import { endOtherSessions } from './sessions.ts';
import { endTokensOfPassword } from './tokens.ts';

const LINK_MS = 24 * 3_600_000;
const hashOf = (secret: string): Buffer => createHash('sha256').update(secret).digest();

/** Only for members whose every desk the owner owns: another desk's door must not be opened from here. */
export async function makePasswordLink(
  models: Models,
  by: { deskId: string; memberId: string },
  memberId: string,
  origin: string,
): Promise<{ url: string; expiresAt: string }> {
  const desksOf = async (where: { memberId: string; role?: 'owner' }): Promise<string[]> =>
    (await models.Membership.findAll({ where })).map((m) => m.get().deskId);
  const theirs = await desksOf({ memberId });
  if (!theirs.includes(by.deskId)) throw new Problem('not_found');
  const owned = new Set(await desksOf({ memberId: by.memberId, role: 'owner' }));
  if (theirs.some((deskId) => !owned.has(deskId))) throw new Problem('member_elsewhere');
  const secret = randomBytes(24).toString('base64url');
  const expiresAt = new Date(Date.now() + LINK_MS);
  // A newer link makes the older ones worthless.
  await inTransaction(models, async (transaction) => {
    await models.PasswordLink.destroy({
      where: { [Op.or]: [{ memberId }, { expiresAt: { [Op.lt]: new Date() } }] },
      transaction,
    });
    await models.PasswordLink.create(
      { hash: hashOf(secret), memberId, madeBy: by.memberId, expiresAt },
      { transaction },
    );
  });
  // Behind the hash, so that no server and no log ever sees it.
  return { url: `${origin}/new-password#${secret}`, expiresAt: expiresAt.toISOString() };
}

/** Ends all sessions of the member, and the tokens that were to end with the password. Returns whose password it was. */
export async function usePasswordLink(models: Models, secret: string, password: string): Promise<string> {
  const passwordHash = await hashPassword(password);
  return inTransaction(models, async (transaction) => {
    const where = { hash: hashOf(secret), expiresAt: { [Op.gt]: new Date() } };
    const found = await models.PasswordLink.findOne({ where, lock: transaction.LOCK.UPDATE, transaction });
    if (!found) throw new Problem('link_used');
    const { memberId } = found.get();
    await models.PasswordLink.destroy({ where, transaction });
    await models.Member.update({ passwordHash }, { where: { id: memberId }, transaction });
    await endOtherSessions(models, memberId, '', transaction);
    await endTokensOfPassword(models, memberId, transaction);
    return memberId;
  });
}
