/**
 * What one record needs of another: it must be on the same desk, of the right kind, and not archived. Which field refers to
 * what is written in core/parts; the references of every record are kept as rows (`part_links`), with foreign keys.
 */
import { Op, type Transaction } from 'sequelize';
import {
  wholeBody,
  type EventTypeInput,
  type LandingPageInput,
  type OfferInput,
  type PartBodies,
  type PartKind,
  type PartnerInput,
  type SourceInput,
} from '@tracheon/core/contract';
import { checkLink, outgoingLink } from '@tracheon/core/links';
import { partLinks, type PartLink } from '@tracheon/core/parts';
import { conditionTroubles } from '@tracheon/core/conditions';
import type { Models, PartAttributes } from '../db/models.ts';
import { lockWords } from '../db/transaction.ts';
import { Problem } from '../problems/problem.ts';
import { partnerIdTroubles } from './partnerIds.ts';

type FieldMessage = { path: string; message: string };

/** A cap is shared with the offer whose cap it is. */
function capTroubles(
  { capWithOfferId }: OfferInput,
  id: string,
  found: (partId: string) => PartAttributes | undefined,
): FieldMessage[] {
  const trouble = (message: string): FieldMessage[] => [{ path: 'capWithOfferId', message }];
  if (capWithOfferId === '') return [];
  if (capWithOfferId === id) return trouble('Choose another offer, or enter a cap of its own.');
  const holder = found(capWithOfferId);
  if (!holder) return [];
  const body = wholeBody('offer', holder.body);
  if (body.capWithOfferId !== '')
    return trouble(`${body.name} shares the cap of another offer. Choose that offer.`);
  return body.capCount === 0 ? trouble(`${body.name} has no conversion cap to share.`) : [];
}

/** A cap that other offers share can't be removed under them. */
async function stillShared(
  models: Models,
  deskId: string,
  id: string,
  { capWithOfferId }: OfferInput,
  transaction: Transaction,
): Promise<FieldMessage[]> {
  const links = await models.PartLink.findAll({
    where: { deskId, toId: id, path: 'capWithOfferId' },
    transaction,
  });
  const sharers = await models.Part.findAll({
    where: { deskId, id: links.map((l) => l.get().fromId), state: { [Op.ne]: 'archived' } },
    attributes: ['name'],
    order: [['name', 'ASC']],
    transaction,
  });
  if (sharers.length === 0) return [];
  const names = sharers.map((s) => s.get().name).join(', ');
  return [
    {
      path: capWithOfferId === '' ? 'capCount' : 'capWithOfferId',
      message: `${names} ${sharers.length === 1 ? 'shares' : 'share'} this cap. Change that first.`,
    },
  ];
}

export async function checkReferences(
  models: Models,
  deskId: string,
  kind: PartKind,
  body: PartBodies[PartKind],
  id: string,
  transaction: Transaction,
): Promise<void> {
  const targets = await lockTargets(models, deskId, kind, body, transaction);
  const fields: FieldMessage[] = targets.missing.map(({ path, to }) => ({
    path,
    message: `This ${to.replace('-', ' ')} is archived or does not exist on this desk.`,
  }));
  const found = (partId: string): PartAttributes | undefined => targets.found.get(partId);
  if (kind === 'offer') {
    const offer = body as OfferInput;
    const network = found(offer.networkId);
    const link = network ? outgoingLink(offer.link, wholeBody('network', network.body)) : offer.link;
    fields.push(...stops('link', link, 'visit'));
    if (offer.fallbackUrl !== '') fields.push(...stops('fallbackUrl', offer.fallbackUrl, 'visit'));
    if (offer.fallbackOfferId === id)
      fields.push({ path: 'fallbackOfferId', message: 'An offer can’t be its own fallback.' });
    fields.push(...capTroubles(offer, id, found));
    if (offer.capCount === 0 || offer.capWithOfferId !== '')
      fields.push(...(await stillShared(models, deskId, id, offer, transaction)));
  }
  if (kind === 'landing-page') {
    const page = body as LandingPageInput;
    fields.push(...stops('url', page.url, 'visit'));
    if (page.fallbackUrl !== '') fields.push(...stops('fallbackUrl', page.fallbackUrl, 'visit'));
  }
  if (kind === 'source') {
    const source = body as SourceInput;
    if (source.postbackUrl !== '') fields.push(...stops('postbackUrl', source.postbackUrl, 'conversion'));
    for (const [i, a] of source.accounts.entries())
      if (a.postbackUrl !== '')
        fields.push(...stops(`accounts.${i}.postbackUrl`, a.postbackUrl, 'conversion'));
  }
  if (kind === 'campaign') {
    const campaign = body as PartBodies['campaign'];
    const source = found(campaign.sourceId);
    const { accounts, adFormats } = wholeBody('source', source?.body ?? {});
    for (const [i, b] of (campaign.routing?.branches ?? []).entries())
      for (const { path, message } of conditionTroubles(b.when))
        fields.push({ path: `routing.branches.${i}.when.${path}`, message });
    if (source && campaign.account !== '' && !accounts.some((a) => a.name === campaign.account))
      fields.push({ path: 'account', message: `${source.name} has no account of this name.` });
    if (source && campaign.adFormat !== '' && !adFormats.includes(campaign.adFormat))
      fields.push({ path: 'adFormat', message: `${source.name} has no ad format of this name.` });
  }
  if (kind === 'event-type') {
    const { word } = body as EventTypeInput;
    // One at a time: two of the same word, saved at once, would both find it free.
    await lockWords(models, `words|${deskId}`, transaction);
    const same = await models.Part.findAll({
      where: { deskId, kind, state: { [Op.ne]: 'archived' }, id: { [Op.ne]: id } },
      transaction,
    });
    if (same.some((s) => (s.get().body as EventTypeInput).word.toLowerCase() === word.toLowerCase()))
      throw new Problem('word_taken', {
        fields: [{ path: 'word', message: 'Another event type already uses this word.' }],
      });
  }
  if (kind === 'partner')
    fields.push(...(await partnerIdTroubles(models, deskId, body as PartnerInput, id, transaction)));
  if (fields.length > 0) throw new Problem('invalid_input', { fields });
}

const stops = (path: string, link: string, place: 'visit' | 'conversion'): FieldMessage[] =>
  checkLink(link, { expander: 'we', place })
    .filter((f) => f.weight === 'stop')
    .map((f) => ({ path, message: f.sentence }));

interface Targets {
  found: Map<string, PartAttributes>;
  /** References to what is of another kind, of another desk, archived, or not there. */
  missing: PartLink[];
}

/**
 * What a body refers to, locked against being archived until this transaction ends: who archives locks the record first
 * and then asks who uses it, so one of the two waits, and then sees the other.
 */
async function lockTargets(
  models: Models,
  deskId: string,
  kind: PartKind,
  body: unknown,
  transaction: Transaction,
): Promise<Targets> {
  const links = partLinks(kind, body);
  const rows = await models.Part.findAll({
    where: { deskId, id: [...new Set(links.map((l) => l.id))] },
    order: [['id', 'ASC']],
    lock: transaction.LOCK.KEY_SHARE,
    transaction,
  });
  const byId = new Map(rows.map((r) => [r.get().id, r.get()]));
  const isRight = ({ id, to }: PartLink): boolean =>
    byId.get(id)?.kind === to && byId.get(id)?.state !== 'archived';
  const right = links.filter(isRight);
  return {
    found: new Map(right.map((l) => [l.id, byId.get(l.id)!])),
    missing: links.filter((l) => !isRight(l)),
  };
}

/** The record's references as rows, in the transaction that saves it. */
export async function storeLinks(
  models: Models,
  row: PartAttributes,
  transaction: Transaction,
): Promise<void> {
  await models.PartLink.destroy({ where: { fromId: row.id }, transaction });
  await models.PartLink.bulkCreate(
    partLinks(row.kind, row.body).map(({ path, id }) => ({
      deskId: row.deskId,
      fromId: row.id,
      path,
      toId: id,
    })),
    { transaction },
  );
}

/** Live records that are made of this one. */
export async function usedBy(
  models: Models,
  deskId: string,
  id: string,
  transaction?: Transaction,
): Promise<{ id: string; kind: PartKind; name: string }[]> {
  const links = await models.PartLink.findAll({
    where: { deskId, toId: id },
    attributes: ['fromId'],
    ...(transaction ? { transaction } : {}),
  });
  const rows = await models.Part.findAll({
    where: { deskId, id: links.map((l) => l.get().fromId), state: { [Op.ne]: 'archived' } },
    order: [['id', 'ASC']],
    ...(transaction ? { transaction } : {}),
  });
  return rows.map((r) => ({ id: r.get().id, kind: r.get().kind, name: r.get().name }));
}
