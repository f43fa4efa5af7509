/** How a conversion is told on the screens. */
import type { LedgerKind, ReceiptChannel } from '@tracheon/core/contract';

export const channelWords: Record<ReceiptChannel, string> = {
  postback: 'postback',
  pixel: 'pixel',
  file: 'file',
  hand: 'by hand',
  feed: 'feed',
};
export const ledgerWords: Record<LedgerKind, string> = {
  hold: 'on hold',
  earn: 'earned',
  partner_hold: 'partner payout on hold',
  partner: 'partner payout',
};
const MINUTE_MS = 60_000;

/** How long after the visit it converted: two units at most. */
export function between(from: string, to: string): string {
  const minutes = Math.round((Date.parse(to) - Date.parse(from)) / MINUTE_MS);
  if (minutes < 0) return 'before';
  if (minutes < 1) return 'less than a minute';
  const [days, hours, rest] = [Math.floor(minutes / 1440), Math.floor((minutes % 1440) / 60), minutes % 60];
  if (days > 0) return hours > 0 ? `${days} d ${hours} h` : `${days} d`;
  if (hours > 0) return rest > 0 ? `${hours} h ${rest} min` : `${hours} h`;
  return `${rest} min`;
}
