/**
 * Changes of Parts and campaigns: every one is a new version, in one transaction with its history and with the
 * number of the configuration, which tells every process to take it live.
 */
import { randomInt } from 'node:crypto';
import { UniqueConstraintError, type Transaction } from 'sequelize';
import { ulid } from 'ulid';
import {
  partInputs,
  partWords,
  wholeBody,
  type CampaignInput,
  type PartBodies,
  type PartKind,
  type PartRecord,
} from '@tracheon/core/contract';
import type { Models, PartAttributes } from '../db/models.ts';
import { bumpConfiguration, inTransaction } from '../db/transaction.ts';
import { parseInput, Problem } from '../problems/problem.ts';
import { bringAlong, takeOver, type Follower } from './sharedRoutings.ts';
import { noteCostChange } from './costChange.ts';
import { attachConversions } from './partnerIds.ts';
import { toRecord, type Editor } from './partRecords.ts';
import { checkReferences, storeLinks, usedBy } from './references.ts';

/** Wire keys are short enough to type, too many to guess: 12 characters of 32 are 60 bits. */
const KEY_ALPHABET = 'abcdefghjkmnpqrstuvwxyz234567890';
const KEY_LENGTH = 12;
const DAY_MS = 86_400_000;
const makeKey = (): string => Array.from({ length: KEY_LENGTH }, () => KEY_ALPHABET[randomInt(32)]).join('');
const hasKey = (kind: PartKind): boolean => ['campaign', 'network', 'landing-page'].includes(kind);

export const createPart = (models: Models, by: Editor, kind: PartKind, raw: unknown): Promise<PartRecord> =>
  change(models, by, kind, (transaction) => makePart(models, by, kind, raw, transaction));

/** Within a transaction of the caller's, who tells of the change once it is over. */
export async function makePart(
  models: Models,
  by: Editor,
  kind: PartKind,
  raw: unknown,
  transaction: Transaction,
): Promise<PartRecord> {
  const body = await shared(models, by, kind, parseInput(partInputs[kind], raw), '', transaction);
  const id = ulid();
  const now = new Date();
  const row: PartAttributes = {
    id,
    deskId: by.deskId,
    kind,
    name: body.name,
    key: hasKey(kind) ? makeKey() : '',
    state: 'live',
    version: 1,
    body,
    changedIn: null,
    createdAt: now,
    updatedAt: now,
  };
  await checkReferences(models, by.deskId, kind, body, id, transaction);
  await models.Part.create(row, { transaction }).catch((error: unknown) => asTaken(error, kind));
  await storeLinks(models, row, transaction);
  await remember(models, by, row, transaction);
  return toRecord(row);
}

function asTaken(error: unknown, kind: PartKind): never {
  if (error instanceof UniqueConstraintError)
    throw new Problem('name_taken', {
      fields: [{ path: 'name', message: `Another ${partWords[kind]} has this name.` }],
    });
  throw error;
}

export async function updatePart(
  models: Models,
  by: Editor,
  kind: PartKind,
  id: string,
  version: number,
  raw: unknown,
): Promise<PartRecord> {
  return change(models, by, kind, async (transaction) => {
    const record = await updateWithin(models, by, kind, id, version, raw, transaction);
    await followShared(models, by, [record], transaction);
    return record;
  });
}

/** Within a transaction of the caller's, who tells of the change once it is over. */
export async function updateWithin(
  models: Models,
  by: Editor,
  kind: PartKind,
  id: string,
  version: number,
  raw: unknown,
  transaction: Transaction,
): Promise<PartRecord> {
  const given = parseInput(partInputs[kind], raw);
  return editWithin(
    models,
    by,
    kind,
    id,
    version,
    async (row) => {
      const before = (row.body as Partial<CampaignInput>).sharedRoutingId ?? '';
      const body = await shared(models, by, kind, given, before, transaction);
      await checkReferences(models, by.deskId, kind, body, id, transaction);
      await storeLinks(models, { ...row, body }, transaction);
      return { ...row, name: body.name, body };
    },
    transaction,
  ).catch((error: unknown) => asTaken(error, kind));
}

/** The body as it is kept: a campaign that begins to share a routing takes over what is shared. */
async function shared<B extends PartBodies[PartKind]>(
  models: Models,
  { deskId }: Editor,
  kind: PartKind,
  body: B,
  before: string,
  transaction: Transaction,
): Promise<B> {
  if (kind !== 'campaign') return body;
  return (await takeOver({ models, deskId, transaction }, body as CampaignInput, before)) as B;
}

/** Other campaigns that share a routing with those that were changed, brought to the same. */
export const followShared = (
  models: Models,
  by: Editor,
  changed: readonly PartRecord[],
  transaction: Transaction,
): Promise<Follower[]> =>
  bringAlong({ models, deskId: by.deskId, transaction }, changed, (id, version, body) =>
    updateWithin(models, by, 'campaign', id, version, body, transaction),
  );

/** Campaigns stop and start; every kind is archived, unless something live is made of it, and reversed. */
export async function setState(
  models: Models,
  by: Editor,
  kind: PartKind,
  id: string,
  state: PartAttributes['state'],
  /** The version that was seen; null when any will do. */
  seen: number | null = null,
): Promise<PartRecord> {
  return change(models, by, kind, (transaction) =>
    setStateWithin(models, by, kind, id, seen, state, transaction),
  );
}

/** Within a transaction of the caller's, who tells of the change once it is over. */
export async function setStateWithin(
  models: Models,
  by: Editor,
  kind: PartKind,
  id: string,
  seen: number | null,
  state: PartAttributes['state'],
  transaction: Transaction,
): Promise<PartRecord> {
  if (state === 'paused' && kind !== 'campaign')
    throw new Problem('invalid_input', {
      fields: [{ path: 'state', message: 'Only a campaign can be paused.' }],
    });
  const next: Next = async (row) => {
    const users = state === 'archived' ? await usedBy(models, by.deskId, id, transaction) : [];
    if (users.length > 0)
      throw new Problem('still_in_use', { detail: `Used by ${users.map((u) => u.name).join(', ')}.` });
    // What it shares went on without it.
    const isBack = row.state === 'archived' && state !== 'archived';
    const body = isBack
      ? await shared(models, by, kind, wholeBody(kind, row.body), '', transaction)
      : row.body;
    if (isBack) await storeLinks(models, { ...row, body }, transaction);
    return { ...row, body, state };
  };
  return editWithin(models, by, kind, id, seen, next, transaction).catch((error: unknown) =>
    asTaken(error, kind),
  );
}

/** A new key at once; the old one is good for some days more, so that a partner has time to paste the new URL. */
export async function rotateKey(
  models: Models,
  by: Editor,
  kind: PartKind,
  id: string,
  overlapDays: number,
): Promise<PartRecord> {
  if (kind !== 'network') throw new Problem('no_key');
  return edit(models, by, kind, id, null, async (row, transaction) => {
    const validUntil = new Date(Date.now() + overlapDays * DAY_MS);
    await models.OldKey.create({ key: row.key, partId: id, deskId: by.deskId, validUntil }, { transaction });
    return { ...row, key: makeKey() };
  });
}

async function edit(
  models: Models,
  by: Editor,
  kind: PartKind,
  id: string,
  seen: number | null,
  next: Next,
): Promise<PartRecord> {
  return change(models, by, kind, (transaction) => editWithin(models, by, kind, id, seen, next, transaction));
}

type Next = (row: PartAttributes, transaction: Transaction) => Promise<PartAttributes>;

async function editWithin(
  models: Models,
  by: Editor,
  kind: PartKind,
  id: string,
  seen: number | null,
  next: Next,
  transaction: Transaction,
): Promise<PartRecord> {
  const found = await models.Part.findOne({
    where: { id, deskId: by.deskId, kind },
    lock: transaction.LOCK.UPDATE,
    transaction,
  });
  if (!found) throw new Problem('not_found');
  const row = found.get();
  if (seen !== null && seen !== row.version)
    throw new Problem('changed_meanwhile', { current: toRecord(row) });
  const changed = {
    ...(await next(row, transaction)),
    version: row.version + 1,
    changedIn: null,
    updatedAt: new Date(),
  };
  await models.Part.update(changed, { where: { id }, transaction });
  await remember(models, by, changed, transaction);
  return toRecord(changed);
}

async function change<T>(
  models: Models,
  by: Editor,
  kind: PartKind,
  work: (transaction: Transaction) => Promise<T>,
): Promise<T> {
  return inTransaction(models, async (transaction) => {
    const result = await work(transaction);
    await bumpConfiguration(models, by.deskId, transaction);
    return result;
  }).catch((error: unknown) => asTaken(error, kind));
}

async function remember(
  models: Models,
  by: Editor,
  row: PartAttributes,
  transaction: Transaction,
): Promise<void> {
  if (row.kind === 'campaign')
    await noteCostChange(models, { ...row, body: row.body as CampaignInput }, transaction);
  if (row.kind === 'partner') await attachConversions(models, row, transaction);
  await models.PartVersion.create(
    {
      partId: row.id,
      version: row.version,
      deskId: row.deskId,
      body: row.body,
      state: row.state,
      changedBy: by.memberId,
      changedAt: row.updatedAt,
    },
    { transaction },
  );
}
