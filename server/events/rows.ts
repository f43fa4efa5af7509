/** Whole rows of the event tables, fixed before the first try to write them. */
import type { ClickMatch, ReceiptChannel } from '@tracheon/core/contract';
import { decodeVisitRow, encodeVisitRow, type StoredVisit } from '@tracheon/core/visits';

/** A visit, and what lies apart from it: the full address and agent. */
export interface VisitRecord extends StoredVisit {
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
  channel: ReceiptChannel;
  /** The file or the change by hand that it belongs to; empty for what a partner sent. */
  batchId: string;
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
  /** What stood in the link where the button's number belongs; empty when it was a number of the page. */
  told: string;
  match: ClickMatch;
}

/** Rows as the spool keeps them: JSON, money as text. */
export const encodeVisit = (row: VisitRecord): string => encodeVisitRow(row);
export const decodeVisit = (json: string): VisitRecord => decodeVisitRow<VisitRecord>(json);
export const encodeReceipt = (row: ReceiptRecord): string => JSON.stringify(row);
/** Rows that older versions spooled were held by nobody, and all came from partners' servers. */
export const decodeReceipt = (json: string): ReceiptRecord => ({
  ...fromPartner,
  ...(JSON.parse(json) as Omit<ReceiptRecord, keyof typeof fromPartner>),
});
export const fromPartner = { held: false, channel: 'postback', batchId: '' } as const;
export const encodeClick = (row: ClickRecord): string => JSON.stringify(row);
/** Rows that older versions spooled told nothing odd. */
export const decodeClick = (json: string): ClickRecord => ({
  told: '',
  ...(JSON.parse(json) as Omit<ClickRecord, 'told'>),
});
