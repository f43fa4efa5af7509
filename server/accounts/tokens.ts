/**
 * Tokens of scripts: `tracheon_` and 32 characters that carry 160 bits. Only the hash is kept. A token may do what its
 * scope allows and its member's role at that moment; without the membership it is worth nothing.
 */
import { createHash, randomBytes } from 'node:crypto';
import type { Transaction } from 'sequelize';
import { ulid } from 'ulid';
import type { MadeToken, Role, TokenRow, TokenScope } from '@tracheon/core/contract';
import { memberNames } from '../db/memberNames.ts';
import type { Models } from '../db/models.ts';
import type { ApiTokenAttributes } from '../db/records/accounts.ts';
import { inTransaction, lockWords } from '../db/transaction.ts';
import { Problem } from '../problems/problem.ts';

const ALPHABET = 'abcdefghijkmnpqrstuvwxyz23456789';
const PREFIX = 'tracheon_';
/** Tokens of one member on one desk: more than scripts anybody runs. */
const MAX_TOKENS = 50;
const DAY_MS = 86_400_000;
const MINUTE_MS = 60_000;

const makeToken = (): string => PREFIX + [...randomBytes(32)].map((b) => ALPHABET[b % 32]).join('');
const hashOf = (token: string): Buffer => createHash('sha256').update(token).digest();

export interface TokenHolder {
  tokenId: string;
  memberId: string;
  deskId: string;
  role: Role;
  scope: TokenScope;
}

export async function createToken(
  models: Models,
  by: { deskId: string; memberId: string },
  input: { name: string; scope: TokenScope; days: number; endsWithPassword: boolean },
): Promise<MadeToken> {
  const { deskId, memberId } = by;
  const { name, scope, days, endsWithPassword } = input;
  const token = makeToken();
  const now = Date.now();
  const row = await inTransaction(models, async (transaction) => {
    // One at a time: as many as there are, asked for at once, would all find a place.
    await lockWords(models, `tokens|${deskId}|${memberId}`, transaction);
    if ((await models.ApiToken.count({ where: { deskId, memberId }, transaction })) >= MAX_TOKENS)
      throw new Problem('invalid_input', {
        fields: [{ path: 'name', message: `You have ${MAX_TOKENS} tokens; revoke one first.` }],
      });
    return models.ApiToken.create(
      {
        id: ulid(),
        deskId,
        memberId,
        name,
        scope,
        hash: hashOf(token),
        createdAt: new Date(now),
        lastUsedAt: null,
        expiresAt: days > 0 ? new Date(now + days * DAY_MS) : null,
        endsWithPassword,
      },
      { transaction },
    );
  });
  const nameOf = await memberNames(models, [memberId]);
  return { ...asRow(row.get(), nameOf), token };
}

const asRow = (t: ApiTokenAttributes, nameOf: (id: string) => string): TokenRow => ({
  id: t.id,
  name: t.name,
  scope: t.scope,
  memberName: nameOf(t.memberId),
  createdAt: t.createdAt.toISOString(),
  lastUsedAt: t.lastUsedAt?.toISOString() ?? null,
  expiresAt: t.expiresAt?.toISOString() ?? null,
  endsWithPassword: t.endsWithPassword,
});

/** A member's own; with `all` those of the whole desk. */
const whose = ({ deskId, memberId }: { deskId: string; memberId: string }, all: boolean) =>
  all ? { deskId } : { deskId, memberId };

export async function listTokens(
  models: Models,
  by: { deskId: string; memberId: string },
  all: boolean,
): Promise<TokenRow[]> {
  const rows = await models.ApiToken.findAll({ where: whose(by, all), order: [['id', 'DESC']] });
  const tokens = rows.map((r) => r.get());
  const nameOf = await memberNames(
    models,
    tokens.map((t) => t.memberId),
  );
  return tokens.map((t) => asRow(t, nameOf));
}

/** An owner may revoke anybody's. Returns whose it was. */
export async function revokeToken(
  models: Models,
  by: { deskId: string; memberId: string },
  id: string,
  all: boolean,
): Promise<string> {
  const found = await models.ApiToken.findOne({ where: { ...whose(by, all), id } });
  // Beside another's revoking, only one of the two finds it there.
  if (!found || (await models.ApiToken.destroy({ where: { id } })) === 0) throw new Problem('not_found');
  return found.get().memberId;
}

/** Whose token this is, with the role as it is now; null for none. Its use is noted once a minute. */
export async function findToken(models: Models, token: string): Promise<TokenHolder | null> {
  if (!token.startsWith(PREFIX) || token.length !== PREFIX.length + 32) return null;
  const found = await models.ApiToken.findOne({ where: { hash: hashOf(token) } });
  const now = Date.now();
  if (!found || (found.get().expiresAt?.getTime() ?? Infinity) <= now) return null;
  const { id, memberId, deskId, scope, lastUsedAt } = found.get();
  const membership = await models.Membership.findOne({ where: { deskId, memberId } });
  if (!membership) return null;
  if (!lastUsedAt || lastUsedAt.getTime() < now - MINUTE_MS)
    await models.ApiToken.update({ lastUsedAt: new Date(now) }, { where: { id } });
  return { tokenId: id, memberId, deskId, role: membership.get().role, scope };
}

/** Those that were to end with the member's password. */
export async function endTokensOfPassword(
  models: Models,
  memberId: string,
  transaction: Transaction,
): Promise<void> {
  await models.ApiToken.destroy({ where: { memberId, endsWithPassword: true }, transaction });
}
