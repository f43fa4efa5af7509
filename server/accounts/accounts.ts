/** Desks, members and their roles: made on first start, edited by owners. */
import { UniqueConstraintError, type Transaction } from 'sequelize';
import { ulid } from 'ulid';
import { roles, type MemberRow, type Role } from '@tracheon/core/contract';
import type { Models } from '../db/models.ts';
import { bumpConfiguration, inTransaction } from '../db/transaction.ts';
import { Problem } from '../problems/problem.ts';
import { hashPassword, inventPassword, verifyPassword } from './passwords.ts';
import { endOtherSessions } from './sessions.ts';
import { endTokensOfPassword } from './tokens.ts';

export interface NewDesk {
  name: string;
  zone: string;
  currency: string;
  isDemo: boolean;
  owner: { name: string; email: string; password?: string | (() => string | undefined) };
}
export interface SignIn {
  deskId: string;
  email: string;
  password: string;
}

/** Makes the first desk, unless a desk is there; then null. */
export async function makeFirstDesk(models: Models, first: NewDesk): Promise<SignIn | null> {
  return inTransaction(models, async (transaction) => {
    await models.sequelize.query('LOCK TABLE desks IN EXCLUSIVE MODE', { transaction });
    if ((await models.Desk.count({ transaction })) > 0) return null;
    return makeDesk(models, first, transaction);
  });
}

/** A desk with a new member as its owner. */
export async function makeDesk(models: Models, desk: NewDesk, transaction: Transaction): Promise<SignIn> {
  const given = desk.owner.password;
  const password = (typeof given === 'function' ? given() : given) ?? inventPassword();
  const id = ulid();
  const { name, email } = desk.owner;
  const passwordHash = await hashPassword(password);
  await models.Member.create({ id, name, email, passwordHash }, { transaction });
  const deskId = await makeDeskOf(models, id, desk, transaction);
  return { deskId, email, password };
}

/** A desk that a member owns, with one default event type. Returns its ID. */
export async function makeDeskOf(
  models: Models,
  memberId: string,
  { name, zone, currency, isDemo }: Omit<NewDesk, 'owner'>,
  transaction: Transaction,
): Promise<string> {
  const [deskId, eventId] = [ulid(), ulid()];
  await models.Desk.create({ id: deskId, name, zone, currency, isDemo }, { transaction });
  await models.Membership.create({ deskId, memberId, role: 'owner' }, { transaction });
  const body = {
    name: 'Sale',
    word: 'sale',
    repeats: false,
    countsAsConversion: true,
    countsAsRevenue: true,
  };
  const now = new Date();
  const part = {
    id: eventId,
    deskId,
    kind: 'event-type' as const,
    name: 'Sale',
    key: '',
    state: 'live' as const,
  };
  await models.Part.create({ ...part, version: 1, body, createdAt: now, updatedAt: now }, { transaction });
  await models.PartVersion.create(
    { partId: eventId, version: 1, deskId, body, state: 'live', changedBy: memberId, changedAt: now },
    { transaction },
  );
  await bumpConfiguration(models, deskId, transaction);
  return deskId;
}

/** Compared even when there is no such member, so that the time tells nothing. */
const decoy = hashPassword('nobody has this password');

export async function checkSignIn(
  models: Models,
  email: string,
  password: string,
): Promise<{ memberId: string; deskId: string }> {
  const member = await models.Member.findOne({ where: { email: email.trim().toLowerCase() } });
  const good = await verifyPassword(password, member?.get().passwordHash ?? (await decoy));
  const own =
    member && (await models.Membership.findAll({ where: { memberId: member.get().id }, order: ['deskId'] }));
  const membership = own?.find((m) => m.get().deskId === member!.get().lastDeskId) ?? own?.[0];
  if (!good || !member || !membership) throw new Problem('wrong_sign_in');
  return { memberId: member.get().id, deskId: membership.get().deskId };
}

export async function listMembers(models: Models, deskId: string): Promise<MemberRow[]> {
  const memberships = await models.Membership.findAll({ where: { deskId } });
  const members = await models.Member.findAll({
    where: { id: memberships.map((m) => m.get().memberId) },
    order: ['name'],
  });
  return members.map((m) => {
    const { id, name, email } = m.get();
    return { id, name, email, role: memberships.find((s) => s.get().memberId === id)!.get().role };
  });
}

const emailTaken = (): Problem =>
  new Problem('name_taken', {
    fields: [{ path: 'email', message: 'A member of this desk already has this e-mail address.' }],
  });

/** With an e-mail address that has an account already, that one joins: it signs in as before, and switches desks. */
export async function addMember(
  models: Models,
  deskId: string,
  input: { name: string; email: string; role: Role; password: string },
): Promise<MemberRow> {
  const { email, role } = input;
  const there = await models.Member.findOne({ where: { email } });
  if (there) {
    const { id, name } = there.get();
    const [, isNew] = await models.Membership.findOrCreate({
      where: { deskId, memberId: id },
      defaults: { deskId, memberId: id, role },
    });
    if (!isNew) throw emailTaken();
    // An owner of one desk must not keep a link to an account that has another.
    await models.PasswordLink.destroy({ where: { memberId: id } });
    return { id, name, email, role };
  }
  const missing = (['name', 'password'] as const).filter((field) => input[field] === '');
  if (missing.length > 0)
    throw new Problem('invalid_input', {
      fields: missing.map((path) => ({
        path,
        message: path === 'name' ? 'Enter a name.' : 'Enter an initial password.',
      })),
    });
  const id = ulid();
  const passwordHash = await hashPassword(input.password);
  await inTransaction(models, async (transaction) => {
    await models.Member.create({ id, name: input.name, email, passwordHash }, { transaction });
    await models.Membership.create({ deskId, memberId: id, role }, { transaction });
  }).catch((error: unknown) => {
    // Somebody has added the same person at the same moment.
    if (error instanceof UniqueConstraintError) throw emailTaken();
    throw error;
  });
  return { id, name: input.name, email, role };
}

/** The owners of a desk, locked, so that the last one cannot leave beside another's leaving. */
async function refuseLastOwner(
  models: Models,
  deskId: string,
  memberId: string,
  transaction: Transaction,
): Promise<Role> {
  const owners = await models.Membership.findAll({
    where: { deskId, role: 'owner' },
    lock: transaction.LOCK.UPDATE,
    transaction,
  });
  const there = await models.Membership.findOne({ where: { deskId, memberId }, transaction });
  if (!there) throw new Problem('not_found');
  if (owners.length === 1 && owners[0]!.get().memberId === memberId) throw new Problem('last_owner');
  return there.get().role;
}

/** Tokens on the desk go with the membership. */
export async function removeMember(models: Models, deskId: string, memberId: string): Promise<void> {
  await inTransaction(models, async (transaction) => {
    await refuseLastOwner(models, deskId, memberId, transaction);
    await models.Membership.destroy({ where: { deskId, memberId }, transaction });
  });
}

/** Returns whether the member may do less than before. */
export async function setRole(
  models: Models,
  deskId: string,
  memberId: string,
  role: Role,
): Promise<boolean> {
  return inTransaction(models, async (transaction) => {
    const before =
      role === 'owner'
        ? (await models.Membership.findOne({ where: { deskId, memberId }, transaction }))?.get().role
        : await refuseLastOwner(models, deskId, memberId, transaction);
    if (!before) throw new Problem('not_found');
    await models.Membership.update({ role }, { where: { deskId, memberId }, transaction });
    return roles.indexOf(role) < roles.indexOf(before);
  });
}

/** Needs the present password, so that an unlocked screen is not enough. Other sessions of the member end. */
export async function changePassword(
  models: Models,
  memberId: string,
  sessionId: string,
  input: { current: string; next: string },
): Promise<void> {
  const member = await models.Member.findByPk(memberId);
  if (!member || !(await verifyPassword(input.current, member.get().passwordHash)))
    throw new Problem('invalid_input', {
      fields: [{ path: 'current', message: 'This is not your current password.' }],
    });
  const passwordHash = await hashPassword(input.next);
  await inTransaction(models, async (transaction) => {
    await models.Member.update({ passwordHash }, { where: { id: memberId }, transaction });
    await endOtherSessions(models, memberId, sessionId, transaction);
    await endTokensOfPassword(models, memberId, transaction);
  });
}
