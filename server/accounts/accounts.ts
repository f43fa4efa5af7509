/** Desks, members and their roles: made on first start, edited by owners. */
import type { Transaction } from 'sequelize';
import { ulid } from 'ulid';
import type { MemberRow, Role } from '@tracheon/core/contract';
import type { Models } from '../db/models.ts';
import { inTransaction } from '../db/transaction.ts';
import { Problem } from '../http/problem.ts';
import { hashPassword, inventPassword, verifyPassword } from './passwords.ts';

export interface NewDesk {
  name: string;
  zone: string;
  currency: string;
  isDemo: boolean;
  owner: { name: string; email: string; password?: string };
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

/** A desk and its owner, with one default event type. */
export async function makeDesk(models: Models, desk: NewDesk, transaction: Transaction): Promise<SignIn> {
  const password = desk.owner.password ?? inventPassword();
  const [deskId, memberId, eventId] = [ulid(), ulid(), ulid()];
  const { name, zone, currency, isDemo } = desk;
  await models.Desk.create({ id: deskId, name, zone, currency, isDemo }, { transaction });
  await models.Member.create(
    {
      id: memberId,
      name: desk.owner.name,
      email: desk.owner.email,
      passwordHash: await hashPassword(password),
    },
    { transaction },
  );
  await models.Membership.create({ deskId, memberId, role: 'owner' }, { transaction });
  const body = {
    name: 'Sale',
    word: 'sale',
    repeats: false,
    countsAsConversion: true,
    countsAsRevenue: true,
  };
  const now = new Date();
  await models.Part.create(
    {
      id: eventId,
      deskId,
      kind: 'event-type',
      name: 'Sale',
      key: '',
      state: 'live',
      version: 1,
      body,
      createdAt: now,
      updatedAt: now,
    },
    { transaction },
  );
  await models.PartVersion.create(
    { partId: eventId, version: 1, deskId, body, state: 'live', changedBy: memberId, changedAt: now },
    { transaction },
  );
  return { deskId, email: desk.owner.email, password };
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
  const membership = member && (await models.Membership.findOne({ where: { memberId: member.get().id } }));
  if (!good || !membership) throw new Problem('wrong_sign_in');
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

export async function addMember(
  models: Models,
  deskId: string,
  input: { name: string; email: string; role: Role; password: string },
): Promise<MemberRow> {
  if (await models.Member.findOne({ where: { email: input.email } }))
    throw new Problem('name_taken', {
      fields: [{ path: 'email', message: 'A member already has this e-mail address.' }],
    });
  const id = ulid();
  const passwordHash = await hashPassword(input.password);
  await inTransaction(models, async (transaction) => {
    await models.Member.create({ id, name: input.name, email: input.email, passwordHash }, { transaction });
    await models.Membership.create({ deskId, memberId: id, role: input.role }, { transaction });
  });
  return { id, name: input.name, email: input.email, role: input.role };
}

export async function setRole(models: Models, deskId: string, memberId: string, role: Role): Promise<void> {
  await inTransaction(models, async (transaction) => {
    const owners = await models.Membership.findAll({
      where: { deskId, role: 'owner' },
      lock: transaction.LOCK.UPDATE,
      transaction,
    });
    const there = await models.Membership.findOne({ where: { deskId, memberId }, transaction });
    if (!there) throw new Problem('not_found');
    if (role !== 'owner' && owners.length === 1 && owners[0]!.get().memberId === memberId)
      throw new Problem('last_owner');
    await models.Membership.update({ role }, { where: { deskId, memberId }, transaction });
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
    await models.sequelize.query(
      `DELETE FROM session WHERE sess->>'memberId' = :memberId AND sid <> :sessionId`,
      {
        replacements: { memberId, sessionId },
        transaction,
      },
    );
  });
}
