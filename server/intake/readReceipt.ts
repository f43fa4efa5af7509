/** One receipt read: its text taken apart, by the mapping that holds for the way it came. */
import type { NetworkInput } from '@tracheon/core/contract';
import {
  inOurNames,
  inOurWords,
  readPostback,
  type EventTypeRule,
  type FileReading,
  type ReadPostback,
} from '@tracheon/core/conversions';
import { parsePostback, type ParsedPostback } from '@tracheon/core/links';
import { RAW_REQUEST_LINE } from '../capture/requestTarget.ts';
import type { ReceiptRecord } from '../events/rows.ts';

/** Headers of a receipt that Tracheon wrote itself. */
export const COOKIE_CLICK = 'cookie-click';
/** The receipt to whose conversion a member made a change. */
export const ABOUT = 'about';
/** It decides on the partner's payout alone: what of `partnerSides` it is. */
export const PARTNER_SIDE = 'partner-side';
/** The reason that the member gave, and who it was. */
export const REASON = 'reason';
export const MEMBER = 'member';

export interface Reader {
  network: NetworkInput;
  types: readonly (EventTypeRule & { name: string })[];
  /** How the file that it is a row of was said to write; null for none. */
  file: FileReading | null;
  /** The file has been taken back: what of it was not judged by then counts no more. */
  isUndone?: boolean;
}

export function parsedReceipt(receipt: ReceiptRecord): ParsedPostback {
  const parsed = parsePostback(receipt.query, receipt.body, receipt.contentType);
  return receipt.headers[RAW_REQUEST_LINE]
    ? { ...parsed, notes: [...parsed.notes, RAW_REQUEST_LINE] }
    : parsed;
}

/** The network's mapping as it holds for what came by this way. */
export function readerOf(
  { channel }: Pick<ReceiptRecord, 'channel'>,
  { network, types, file }: Reader,
): NetworkInput {
  if (channel === 'hand' || channel === 'feed') return inOurWords(network, types);
  return channel === 'file' ? inOurNames(network, file) : network;
}

export function readReceipt(receipt: ReceiptRecord, reader: Reader): ReadPostback {
  const read = readPostback(
    parsedReceipt(receipt),
    readerOf(receipt, reader),
    reader.types,
    receipt.receivedMs,
    receipt.headers[COOKIE_CLICK],
  );
  const isLost = !read.ok && read.reason === 'no_click_id' && receipt.channel === 'pixel';
  return isLost ? { ...read, reason: 'no_cookie' } : read;
}
