/** What stands on a setup sheet, and how members change it together. */
import { z } from 'zod';
import { costModels, sendings } from './campaigns.ts';
import { partAnswer } from './parts.ts';
import { isoTime, MAX_URL_LENGTH, recordId } from './primitives.ts';
import { MAX_WEIGHT } from './routing.ts';

const id = z.string().max(26);
/** Half typed, it is kept as it is. */
const typed = z.string().max(80);

/** More are rather set in the routing of the campaign. */
export const MAX_SHEET_PAIRINGS = 10;
/** A pairing beside the sheet's own page and offer, to split visitors with. */
const sheetPairing = z.object({
  /** Empty: straight to the offer. */
  landingPageId: id,
  /** Empty: the sheet's own offer, which may not exist yet. */
  offerId: id,
  weight: z.int('Enter a whole number.').min(0, 'Enter zero or more.').max(MAX_WEIGHT),
});
export type SheetPairing = z.infer<typeof sheetPairing>;

/**
 * What stands on a setup sheet. A draft is kept as it is, half typed or not: what is made of it in the end is checked
 * like any other offer and campaign.
 */
const sheetFields = {
  link: z.string().max(MAX_URL_LENGTH, `At most ${MAX_URL_LENGTH} characters.`),
  networkId: id,
  /** An offer of Parts; empty: one is made from the link. */
  offerId: id,
  offerName: z.string().max(120),
  product: z.string().max(60),
  /** Where this chain buys and sells; empty: not said. */
  country: z.string().max(2),
  payoutMode: z.enum(['fixed', 'reported']),
  payoutMicros: typed,
  currency: typed,
  sourceId: id,
  account: typed,
  adFormat: typed,
  /** Empty: a direct link. */
  landingPageId: id,
  /** Of the sheet's own page and offer, where visitors are split over more. */
  weight: sheetPairing.shape.weight,
  pairings: z.array(sheetPairing).max(MAX_SHEET_PAIRINGS),
  campaignName: z.string().max(120),
  /** Taken over from the campaign that the sheet was begun from. */
  fallbackUrl: z.string().max(MAX_URL_LENGTH),
  sendBy: z.enum(sendings),
  /** Empty: from the link where the source tells it, else none. */
  costModel: z.enum(['', ...costModels]),
  costMicros: typed,
  costCurrency: typed,
  costShare: typed,
  costEventTypeId: typed,
  /** Budget helper: payouts that a day of testing may cost, what a visit is bid, how many of 1 000 visits may convert. */
  budgetFactor: z.number().min(0).max(1000),
  bidMicros: typed,
  guessedPerMille: z.number().min(0).max(1000),
  /** The network has its postback URL. */
  handedOver: z.boolean(),
};
export const sheetBody = z.object(sheetFields);
export type SheetBody = z.infer<typeof sheetBody>;
export type SheetField = keyof SheetBody;
export const sheetChanges = sheetBody.partial();

export const blankSheet: SheetBody = {
  link: '',
  networkId: '',
  offerId: '',
  offerName: '',
  product: '',
  country: '',
  payoutMode: 'reported',
  payoutMicros: '',
  currency: '',
  sourceId: '',
  account: '',
  adFormat: '',
  landingPageId: '',
  weight: 1,
  pairings: [],
  campaignName: '',
  fallbackUrl: '',
  sendBy: 'redirect',
  costModel: '',
  costMicros: '',
  costCurrency: '',
  costShare: '0',
  costEventTypeId: '',
  budgetFactor: 3,
  bidMicros: '',
  guessedPerMille: 0,
  handedOver: false,
};

export const sheetRow = z.object({
  id: recordId,
  version: z.int(),
  body: sheetBody,
  changedAt: isoTime,
  changedBy: z.string(),
  /** The campaign that was made from it; null while it is a draft. */
  campaignId: recordId.nullable(),
});
export type SheetRow = z.infer<typeof sheetRow>;
/** One that is open in a browser: with the other members who have it open now. */
export const openSheet = sheetRow.extend({ others: z.array(z.string()) });
export type OpenSheet = z.infer<typeof openSheet>;

export const sheetInput = z.object({ body: sheetChanges });
export const sheetChange = z.object({
  /** The version that was seen; fields that somebody else has changed since are refused. */
  version: z.int().min(1),
  changes: sheetChanges,
});
/** Fields that somebody else has changed meanwhile, and the sheet as it stands now; nothing was kept. */
export const sheetAnswer = z.object({
  sheet: openSheet,
  collided: z.array(z.object({ field: z.string(), by: z.string() })),
});
export type SheetAnswer = z.infer<typeof sheetAnswer>;
export const liveAnswer = z.object({ sheet: openSheet, offer: partAnswer, campaign: partAnswer });
export type LiveAnswer = z.infer<typeof liveAnswer>;
