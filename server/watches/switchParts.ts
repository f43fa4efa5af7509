/** Offers and pairings that a watch switches, and how that is undone: only while they are as the watch left them. */
import { wholeBody, type CampaignInput, type OfferInput, type PartRecord } from '@tracheon/core/contract';
import {
  closedWays,
  findPairings,
  withPairings,
  type PairingChange,
  type WhichPairings,
} from '@tracheon/core/routing';
import { toRecord } from '../parts/partRecords.ts';
import { followShared, updateWithin } from '../parts/partsStore.ts';
import { Problem } from '../problems/problem.ts';
import type { Acted, Acts } from './watchActs.ts';
import type { Did } from './watchStore.ts';

type Kind = 'offer' | 'campaign';
async function locked({ models, transaction, by }: Acts, kind: Kind, id: string): Promise<PartRecord | null> {
  const found = await models.Part.findOne({
    where: { id, deskId: by.deskId, kind },
    lock: transaction.LOCK.UPDATE,
    transaction,
  });
  return found ? toRecord(found.get()) : null;
}

async function save({ models, transaction, by }: Acts, record: PartRecord, body: object): Promise<void> {
  const { kind, id, version } = record;
  const saved = await updateWithin(models, by, kind, id, version, body, transaction);
  await followShared(models, by, [saved], transaction);
}

export async function switchOffer(acts: Acts, offerId: string, isOn: boolean): Promise<Acted> {
  const record = await locked(acts, 'offer', offerId);
  if (!record || record.state === 'archived') return { why: 'It is archived.' };
  const body = record.body as OfferInput;
  const [from, to] = isOn ? (['paused', 'live'] as const) : (['live', 'paused'] as const);
  if (body.sending === to) return { why: `It is ${to} already.` };
  if (body.sending !== from) return { why: `It is not ${from}: its state is “${body.sending}”.` };
  await save(acts, record, { ...body, sending: to });
  return { did: { offerId, from, to }, why: '' };
}

export async function undoOffer(
  acts: Acts,
  { offerId, from, to }: Extract<Did, { offerId: string }>,
): Promise<void> {
  const record = await locked(acts, 'offer', offerId);
  const body = record?.body as OfferInput | undefined;
  if (!record || body?.sending !== to) throw changed();
  await save(acts, record, { ...body, sending: from });
}

export async function switchPairings(
  acts: Acts,
  campaignId: string,
  which: WhichPairings,
  to: { isOn: boolean } | { weight: number },
): Promise<Acted> {
  const record = await locked(acts, 'campaign', campaignId);
  if (!record || record.state === 'archived') return { why: 'Its campaign is archived.' };
  const body = record.body as CampaignInput;
  const found = findPairings(body, which);
  if (found.length === 0)
    return {
      why: body.routing
        ? 'It is not in the campaign any more.'
        : 'It is the campaign’s only pairing. Pause the campaign instead.',
    };
  const asIs = (p: { id: string; isOn: boolean; weight: number }): PairingChange => ({
    pairingId: p.id,
    isOn: p.isOn,
    weight: p.weight,
  });
  const changes = found.flatMap((p) => {
    const before = asIs(p);
    const after = { ...before, ...to };
    return after.isOn === before.isOn && after.weight === before.weight ? [] : [{ before, after }];
  });
  if (changes.length === 0)
    return {
      why:
        'weight' in to ? `Its weight is ${to.weight} already.` : `It is ${to.isOn ? 'on' : 'off'} already.`,
    };
  const next = withPairings(
    body,
    changes.map((c) => c.after),
  );
  await save(acts, record, next);
  const closed = closedWays(body, next);
  return {
    did: { campaignId, pairings: changes },
    why:
      closed.length === 0
        ? ''
        : `The branch “${closed.join('”, “')}” has no pairing left: its visitors go to the campaign’s fallback.`,
  };
}

export async function undoPairings(
  acts: Acts,
  { campaignId, pairings }: Extract<Did, { pairings: unknown }>,
): Promise<void> {
  const record = await locked(acts, 'campaign', campaignId);
  if (!record) throw changed();
  const body = wholeBody('campaign', record.body);
  for (const { after } of pairings) {
    const [now] = findPairings(body, { pairingId: after.pairingId });
    if (now?.isOn !== after.isOn || now.weight !== after.weight) throw changed();
  }
  await save(
    acts,
    record,
    withPairings(
      body,
      pairings.map((p) => p.before),
    ),
  );
}

const changed = (): Problem =>
  new Problem('changed_meanwhile', { detail: 'Somebody has changed it since. Look at it first.' });
