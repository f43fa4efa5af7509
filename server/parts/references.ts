/** What one record needs of another: it must be on the same desk, of the right kind, and not archived. */
import { Op, type Transaction } from 'sequelize';
import {
  wholeBody,
  type EventTypeInput,
  type LandingPageInput,
  type NetworkInput,
  type OfferInput,
  type PartBodies,
  type PartKind,
  type SourceInput,
} from '@tracheon/core/contract';
import { checkLink, outgoingLink } from '@tracheon/core/links';
import type { Models, PartAttributes } from '../db/models.ts';
import { Problem } from '../http/problem.ts';

type FieldMessage = { path: string; message: string };

export async function checkReferences(
  models: Models,
  deskId: string,
  kind: PartKind,
  body: PartBodies[PartKind],
  id: string,
  transaction: Transaction,
): Promise<void> {
  const part = async (
    path: string,
    wanted: PartKind,
    partId: string,
  ): Promise<PartAttributes | FieldMessage> => {
    const found = await models.Part.findOne({
      where: { id: partId, deskId, kind: wanted, state: { [Op.ne]: 'archived' } },
      transaction,
    });
    return (
      found?.get() ?? {
        path,
        message: `This ${wanted.replace('-', ' ')} is archived or does not exist on this desk.`,
      }
    );
  };
  const fields: FieldMessage[] = [];
  const need = async (path: string, wanted: PartKind, partId: string): Promise<PartAttributes | null> => {
    const found = await part(path, wanted, partId);
    if ('kind' in found) return found;
    fields.push(found);
    return null;
  };
  if (kind === 'offer') {
    const offer = body as OfferInput;
    const network = await need('networkId', 'network', offer.networkId);
    const link = network ? outgoingLink(offer.link, wholeBody('network', network.body)) : offer.link;
    fields.push(...stops('link', link, 'visit'));
    if (offer.fallbackUrl !== '') fields.push(...stops('fallbackUrl', offer.fallbackUrl, 'visit'));
    if (offer.fallbackOfferId === id)
      fields.push({ path: 'fallbackOfferId', message: 'An offer can’t be its own fallback.' });
    else if (offer.fallbackOfferId !== '') await need('fallbackOfferId', 'offer', offer.fallbackOfferId);
    for (const [i, p] of offer.payouts.entries())
      if (p.eventTypeId !== '') await need(`payouts.${i}.eventTypeId`, 'event-type', p.eventTypeId);
    for (const [i, t] of offer.conversionsFrom.entries())
      await need(`conversionsFrom.${i}.channel`, 'event-type', t.eventTypeId);
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
    for (const [i, eventTypeId] of source.reportEvents.entries())
      await need(`reportEvents.${i}`, 'event-type', eventTypeId);
  }
  if (kind === 'campaign') {
    const campaign = body as PartBodies['campaign'];
    const source = await need('sourceId', 'source', campaign.sourceId);
    const { accounts, adFormats } = wholeBody('source', source?.body ?? {});
    if (source && campaign.account !== '' && !accounts.some((a) => a.name === campaign.account))
      fields.push({ path: 'account', message: `${source.name} has no account of this name.` });
    if (source && campaign.adFormat !== '' && !adFormats.includes(campaign.adFormat))
      fields.push({ path: 'adFormat', message: `${source.name} has no ad format of this name.` });
    await need('offerId', 'offer', campaign.offerId);
    if (campaign.landingPageId) await need('landingPageId', 'landing-page', campaign.landingPageId);
  }
  if (kind === 'network')
    for (const [i, w] of (body as NetworkInput).eventWords.entries())
      await need(`eventWords.${i}.eventTypeId`, 'event-type', w.eventTypeId);
  if (kind === 'event-type') {
    const { word } = body as EventTypeInput;
    const same = await models.Part.findAll({
      where: { deskId, kind, state: { [Op.ne]: 'archived' }, id: { [Op.ne]: id } },
      transaction,
    });
    if (same.some((s) => (s.get().body as EventTypeInput).word.toLowerCase() === word.toLowerCase()))
      throw new Problem('word_taken', {
        fields: [{ path: 'word', message: 'Another event type already uses this word.' }],
      });
  }
  if (fields.length > 0) throw new Problem('invalid_input', { fields });
}

const stops = (path: string, link: string, place: 'visit' | 'conversion'): FieldMessage[] =>
  checkLink(link, { expander: 'we', place })
    .filter((f) => f.weight === 'stop')
    .map((f) => ({ path, message: f.sentence }));

/** Live records that are made of this one. */
export async function usedBy(
  models: Models,
  deskId: string,
  id: string,
  transaction?: Transaction,
): Promise<{ id: string; kind: PartKind; name: string }[]> {
  const rows = await models.Part.findAll({
    where: {
      deskId,
      state: { [Op.ne]: 'archived' },
      [Op.or]: [
        { body: { [Op.contains]: { networkId: id } } },
        { body: { [Op.contains]: { sourceId: id } } },
        { body: { [Op.contains]: { offerId: id } } },
        { body: { [Op.contains]: { landingPageId: id } } },
        { body: { [Op.contains]: { fallbackOfferId: id } } },
        { body: { [Op.contains]: { eventWords: [{ eventTypeId: id }] } } },
        { body: { [Op.contains]: { payouts: [{ eventTypeId: id }] } } },
        { body: { [Op.contains]: { reportEvents: [id] } } },
      ],
    },
    ...(transaction ? { transaction } : {}),
  });
  return rows.map((r) => ({ id: r.get().id, kind: r.get().kind, name: r.get().name }));
}
