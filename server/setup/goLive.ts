/**
 * From a setup sheet to a campaign that takes visitors: offer and campaign in one transaction, with the same checks as
 * from their forms. The sheet is locked meanwhile: a second click, or a second member, gets what the first one made.
 */
import { offersOf } from '@tracheon/core/routing';
import type { Transaction } from 'sequelize';
import {
  blankSheet,
  type NetworkInput,
  type OfferInput,
  type PartKind,
  type PartRecord,
  type SheetBody,
  type SourceInput,
} from '@tracheon/core/contract';
import { campaignOfSheet, offerOfSheet } from '@tracheon/core/links';
import { sheetNames } from '@tracheon/core/naming';
import type { Models, PartAttributes } from '../db/models.ts';
import { bumpConfiguration, inTransaction } from '../db/transaction.ts';
import { Problem } from '../problems/problem.ts';
import { listParts, toRecord, type Editor } from '../parts/partRecords.ts';
import { makePart } from '../parts/partsStore.ts';

interface Desk {
  currency: string;
  nameRules: { campaign: string; offer: string };
}
export interface MadeLive {
  offer: PartRecord;
  campaign: PartRecord;
}

export function goLive(models: Models, by: Editor, desk: Desk, sheetId: string): Promise<MadeLive> {
  return inTransaction(models, async (transaction) => {
    const where = { deskId: by.deskId, id: sheetId };
    const found = await models.SetupSheet.findOne({ where, lock: transaction.LOCK.UPDATE, transaction });
    if (!found) throw new Problem('not_found');
    const { body, campaignId } = found.get();
    if (campaignId !== null) return madeBefore(models, by.deskId, campaignId, transaction);
    const made = await make(models, by, desk, { ...blankSheet, ...body }, transaction);
    await models.SetupSheet.update({ campaignId: made.campaign.id }, { where, transaction });
    await bumpConfiguration(models, by.deskId, transaction);
    return made;
  });
}

async function make(
  models: Models,
  by: Editor,
  desk: Desk,
  sheet: SheetBody,
  transaction: Transaction,
): Promise<MadeLive> {
  const all = await listParts(models, by.deskId, undefined, transaction);
  const of = <B>(kind: PartKind, id: string): B | undefined =>
    all.find((p) => p.kind === kind && p.id === id)?.body as B | undefined;
  const namesOf = (kind: PartKind): string[] => all.filter((p) => p.kind === kind).map((p) => p.body.name);
  const chosen = of<OfferInput>('offer', sheet.offerId);
  const network = of<NetworkInput>('network', chosen?.networkId ?? sheet.networkId);
  const source = of<SourceInput>('source', sheet.sourceId);
  const names = sheetNames(sheet, {
    rules: desk.nameRules,
    network,
    source,
    offer: chosen,
    page: of('landing-page', sheet.landingPageId),
    taken: {
      offers: namesOf('offer'),
      campaigns: namesOf('campaign'),
      others: all
        .filter((p) => p.state !== 'archived' && ['network', 'source', 'landing-page'].includes(p.kind))
        .map((p) => p.body.name),
    },
  });
  // Fields of the offer carry the sheet's names, so that what is wrong is said where it was typed.
  const offer =
    sheet.offerId === ''
      ? await makePart(
          models,
          by,
          'offer',
          offerOfSheet(sheet, network, { offer: names.offer, currency: desk.currency }),
          transaction,
        ).catch((error: unknown) => inSheet(error, 'offer'))
      : await existing(models, by.deskId, sheet.offerId, transaction);
  const campaign = await makePart(
    models,
    by,
    'campaign',
    campaignOfSheet({ ...sheet, offerId: offer.id }, source, {
      campaign: names.campaign,
      currency: desk.currency,
    }),
    transaction,
  ).catch((error: unknown) => inSheet(error, 'campaign'));
  return { offer, campaign };
}

const fieldNames: Record<'offer' | 'campaign', Record<string, string>> = {
  offer: { name: 'offerName', countries: 'country' },
  campaign: { name: 'campaignName' },
};
/** Pairings of the routing stand in one field of the sheet. */
const sheetField = (what: 'offer' | 'campaign', path: string): string =>
  path.startsWith('routing') ? 'pairings' : (fieldNames[what][path] ?? path);

function inSheet(error: unknown, what: 'offer' | 'campaign'): never {
  if (error instanceof Problem && error.more.fields)
    throw new Problem(error.code, {
      ...error.more,
      fields: error.more.fields.map((f) => ({ ...f, path: sheetField(what, f.path) })),
    });
  throw error;
}

async function existing(
  models: Models,
  deskId: string,
  id: string,
  transaction: Transaction,
): Promise<PartRecord> {
  const found = await models.Part.findOne({ where: { deskId, kind: 'offer', id }, transaction });
  const row: PartAttributes | undefined = found?.get();
  if (!row || row.state === 'archived')
    throw new Problem('invalid_input', {
      fields: [
        { path: 'offerId', message: 'This offer has been archived. Choose another one or restore it.' },
      ],
    });
  return toRecord(row);
}

async function madeBefore(
  models: Models,
  deskId: string,
  campaignId: string,
  transaction: Transaction,
): Promise<MadeLive> {
  const of = async (kind: PartKind, id: string): Promise<PartRecord> => {
    const found = await models.Part.findOne({ where: { deskId, kind, id }, transaction });
    if (!found) throw new Problem('not_found');
    return toRecord(found.get());
  };
  const campaign = (await of('campaign', campaignId)) as PartRecord<'campaign'>;
  return { campaign, offer: await of('offer', offersOf(campaign.body)[0] ?? '') };
}
