/** What watches do to the desk's own records, within the transaction of the finding; and how it is undone. */
import type { Transaction } from 'sequelize';
import { MAX_NUMBERS_DAYS, SUB_SUBJECT, type WatchAct, type WatchInput } from '@tracheon/core/contract';
import { addToListWithin, takeOff } from '../cutLists/listEntries.ts';
import type { Models } from '../db/models.ts';
import { bumpConfiguration, clientOf } from '../db/transaction.ts';
import type { Editor } from '../parts/partRecords.ts';
import { setStateWithin } from '../parts/partsStore.ts';
import { Problem } from '../problems/problem.ts';
import { setBatchState } from '../repairs/batches.ts';
import { holdPayouts } from '../repairs/payoutReviews.ts';
import { askSource } from './askSource.ts';
import { switchOffer, switchPairings, undoOffer, undoPairings } from './switchParts.ts';
import type { Did } from './watchStore.ts';

export interface Acts {
  models: Models;
  transaction: Transaction;
  by: Editor;
  nowMs: number;
}
export interface ToAct {
  findingId: string;
  value: string;
  name: string;
  spentMicros: string;
  profitMicros: string | null;
}
/** Of each value in turn. `why` beside what was done is what follows from it. */
export type Acted = { did: Did; why: string } | { why: string };

/** The act that takes back what this one does. */
export const opposite: Partial<Record<WatchAct, WatchAct>> = {
  pause: 'resume',
  resume: 'pause',
  block: 'allow',
  allow: 'block',
  weight: 'weight',
};

export async function actOn(acts: Acts, watch: WatchInput, all: readonly ToAct[]): Promise<Acted[]> {
  if (watch.act === 'block' || watch.act === 'allow') return list(acts, watch, watch.act, all);
  if (watch.act === 'request') return askSource(acts, watch, all);
  const acted: Acted[] = [];
  for (const { value } of all) acted.push(await change(acts, watch, value));
  if (acted.some((a) => 'did' in a)) await bumpConfiguration(acts.models, acts.by.deskId, acts.transaction);
  return acted;
}

function change(acts: Acts, watch: WatchInput, value: string): Promise<Acted> {
  if (watch.act === 'hold') return hold(acts, watch, value);
  const isOn = watch.act === 'resume';
  if (watch.subject === 'campaign_id') return switchCampaign(acts, value, isOn);
  if (watch.subject === 'offer_id') return switchOffer(acts, value, isOn);
  const which = watch.subject === 'branch_id' ? { branchId: value } : { pairingId: value };
  return switchPairings(
    acts,
    watch.campaignId,
    which,
    watch.act === 'weight' ? { weight: watch.weightTo } : { isOn },
  );
}

const HOUR_MS = 3_600_000;
/** Payouts of the visits that the watch looked at. */
async function hold({ transaction, by, nowMs }: Acts, watch: WatchInput, partnerId: string): Promise<Acted> {
  const batchId = await holdPayouts(clientOf(transaction), by, {
    partnerId,
    sinceMs: nowMs - watch.windowHours * HOUR_MS,
    reason: `The watch “${watch.name}” found it.`,
    nowMs,
  });
  return batchId === null
    ? { why: 'This partner has no payout that Tracheon can hold.' }
    : { did: { batchId }, why: 'Approve or reject these payouts under Conversions.' };
}

async function switchCampaign(
  { models, transaction, by }: Acts,
  campaignId: string,
  isOn: boolean,
): Promise<Acted> {
  const found = await models.Part.findOne({
    where: { id: campaignId, deskId: by.deskId, kind: 'campaign' },
    lock: transaction.LOCK.UPDATE,
    transaction,
  });
  const [from, to] = isOn ? (['paused', 'live'] as const) : (['live', 'paused'] as const);
  const state = found?.get().state;
  if (state !== from)
    return { why: state === to ? `It is ${isOn ? 'live' : 'paused'} already.` : 'It is archived.' };
  const { version } = await setStateWithin(models, by, 'campaign', campaignId, null, to, transaction);
  return { did: { campaignId, version, state: from }, why: '' };
}

async function list(
  { models, transaction, by }: Acts,
  watch: WatchInput,
  to: 'block' | 'allow',
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
  const input = { sourceId: watch.sourceId, sub, list: to, values, days };
  const added = await addToListWithin(models, by, input, transaction);
  const byValue = new Map(added.map((e) => [e.value, e.id]));
  return all.map(({ value }) => {
    const entryId = byValue.get(value);
    return entryId === undefined
      ? { why: `It is on the ${to} list already.` }
      : { did: { entryId }, why: '' };
  });
}

/** Refused when somebody has changed the same thing since. */
export async function undo(acts: Acts, did: Did): Promise<void> {
  const { models, transaction, by } = acts;
  if ('sendId' in did)
    throw new Problem('changed_meanwhile', { detail: 'A request to a source can’t be undone from here.' });
  if ('entryId' in did) {
    const entry = await models.ListEntry.findOne({
      where: { deskId: by.deskId, id: did.entryId },
      transaction,
    });
    if (!entry || entry.get().removedAt !== null)
      throw new Problem('changed_meanwhile', { detail: 'Somebody has taken it off the list already.' });
    return takeOff(models, by, [did.entryId], transaction);
  }
  if ('batchId' in did) {
    const isBegun = await setBatchState(clientOf(transaction), by.deskId, did.batchId, ['done'], 'undoing');
    if (!isBegun) throw new Problem('changed_meanwhile', { detail: 'Somebody has undone it already.' });
    return;
  }
  if ('offerId' in did) await undoOffer(acts, did);
  else if ('pairings' in did) await undoPairings(acts, did);
  else
    await setStateWithin(
      models,
      by,
      'campaign',
      did.campaignId,
      did.version,
      did.state ?? 'live',
      transaction,
    );
  await bumpConfiguration(models, by.deskId, transaction);
}
