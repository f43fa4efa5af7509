/** Whole rows of the event tables, fixed before the first try to write them. */
import type { ClickMatch } from '@tracheon/core/contract';

export interface VisitRecord {
  deskId: string;
  id: string;
  atMs: number;
  campaignId: string;
  campaignVersion: number;
  sourceId: string;
  branch: string;
  offerId: string;
  offerVersion: number;
  networkId: string;
  /** Empty for a direct link. */
  landingId: string;
  landingVersion: number;
  country: string;
  region: string;
  city: string;
  isp: string;
  connection: string;
  language: string;
  device: string;
  deviceModel: string;
  os: string;
  osVersion: string;
  browser: string;
  browserVersion: string;
  referrerHost: string;
  isBot: boolean;
  isRepeat: boolean;
  isUnique: boolean;
  isTest: boolean;
  guessed: boolean;
  visitorHash: string;
  /** null where no cost is known. */
  costMicros: bigint | null;
  costCurrency: string;
  sourceClickId: string;
  subs: Record<string, string>;
  notes: string[];
  rawQuery: string;
  addressPrefix: string;
  address: string;
  userAgent: string;
}

export interface ReceiptRecord {
  deskId: string;
  id: string;
  receivedMs: number;
  networkId: string;
  method: string;
  path: string;
  query: string;
  body: string;
  contentType: string;
  headers: Record<string, string>;
  addressPrefix: string;
  /** The caller's address is not on the network's list. */
  held: boolean;
}

export interface ClickRecord {
  deskId: string;
  /** The click's own ID: its time is the click's. */
  id: string;
  atMs: number;
  /** Its time gives the day under which the click is kept. */
  visitId: string;
  n: number;
  landingId: string;
  offerId: string;
  match: ClickMatch;
}

/** Rows as the spool keeps them: JSON, money as text. */
export const encodeVisit = (row: VisitRecord): string =>
  JSON.stringify({ ...row, costMicros: row.costMicros?.toString() ?? null });
export function decodeVisit(json: string): VisitRecord {
  const row = JSON.parse(json) as Omit<VisitRecord, 'costMicros'> & { costMicros: string | null };
  // Rows that older versions spooled know no landing page.
  return {
    ...row,
    landingId: row.landingId ?? '',
    landingVersion: row.landingVersion ?? 0,
    costMicros: row.costMicros === null ? null : BigInt(row.costMicros),
  };
}
export const encodeReceipt = (row: ReceiptRecord): string => JSON.stringify(row);
/** Rows that older versions spooled were held by nobody. */
export const decodeReceipt = (json: string): ReceiptRecord => ({
  held: false,
  ...(JSON.parse(json) as Omit<ReceiptRecord, 'held'>),
});
export const encodeClick = (row: ClickRecord): string => JSON.stringify(row);
export const decodeClick = (json: string): ClickRecord => JSON.parse(json) as ClickRecord;
