/** What watches do to the desk's own records, within the transaction of the finding; and how it is undone. */
import type { Transaction } from 'sequelize';
import { MAX_NUMBERS_DAYS, SUB_SUBJECT, type WatchInput } from '@tracheon/core/contract';
import { addToListWithin, takeOff } from '../cutLists/listEntries.ts';
import type { Models } from '../db/models.ts';
import { bumpConfiguration } from '../db/transaction.ts';
import { setStateWithin, type Editor } from '../parts/partsStore.ts';
import { Problem } from '../problems/problem.ts';
import type { Did } from './watchStore.ts';

export interface Acts {
  models: Models;
  transaction: Transaction;
  by: Editor;
}
export interface ToAct {
  value: string;
  profitMicros: string | null;
}
/** Of each value in turn. */
export type Acted = { did: Did } | { why: string };

export async function actOn(acts: Acts, watch: WatchInput, all: readonly ToAct[]): Promise<Acted[]> {
  return watch.act === 'block' ? block(acts, watch, all) : pauseAll(acts, all);
}

async function pauseAll(acts: Acts, all: readonly ToAct[]): Promise<Acted[]> {
  const acted: Acted[] = [];
  for (const { value } of all) acted.push(await pause(acts, value));
  if (acted.some((a) => 'did' in a)) await bumpConfiguration(acts.models, acts.by.deskId, acts.transaction);
  return acted;
}

async function pause({ models, transaction, by }: Acts, campaignId: string): Promise<Acted> {
  const found = await models.Part.findOne({
    where: { id: campaignId, deskId: by.deskId, kind: 'campaign' },
    lock: transaction.LOCK.UPDATE,
    transaction,
  });
  const state = found?.get().state;
  if (state !== 'live') return { why: state === 'paused' ? 'It is paused already.' : 'It is archived.' };
  const { version } = await setStateWithin(models, by, 'campaign', campaignId, null, 'paused', transaction);
  return { did: { campaignId, version } };
}

async function block(
  { models, transaction, by }: Acts,
  watch: WatchInput,
  all: readonly ToAct[],
): Promise<Acted[]> {
  const sub = watch.subject.slice(SUB_SUBJECT.length);
  const days = Math.min(
    MAX_NUMBERS_DAYS,
    Math.max(1, Math.round((watch.windowHours - watch.skipHours) / 24)),
  );
  const values = all.map(({ value, profitMicros }) => ({
    value,
    profitMicros,
    reason: `The watch “${watch.name}” found it.`,
  }));
  const input = { sourceId: watch.sourceId, sub, list: 'block' as const, values, days };
  const added = await addToListWithin(models, by, input, transaction);
  const byValue = new Map(added.map((e) => [e.value, e.id]));
  return all.map(({ value }) => {
    const entryId = byValue.get(value);
    return entryId === undefined ? { why: 'It is on the block list already.' } : { did: { entryId } };
  });
}

/** Refused when somebody has changed the same thing since. */
export async function undo({ models, transaction, by }: Acts, did: Did): Promise<void> {
  if ('entryId' in did) {
    const entry = await models.ListEntry.findOne({
      where: { deskId: by.deskId, id: did.entryId },
      transaction,
    });
    if (!entry || entry.get().removedAt !== null)
      throw new Problem('changed_meanwhile', { detail: 'Somebody has taken it off the list already.' });
    return takeOff(models, by, [did.entryId], transaction);
  }
  await setStateWithin(models, by, 'campaign', did.campaignId, did.version, 'live', transaction);
  await bumpConfiguration(models, by.deskId, transaction);
}
