/** The partner as somebody who is told of conversions: of those that it is paid for, and of what it gets for them. */
import {
  postbacksDue,
  type FoldedConversion,
  type PostbackDue,
  type Transition,
} from '@tracheon/core/conversions';
import { formatAmount } from '@tracheon/core/money';
import { compileTemplate, expandTemplate } from '@tracheon/core/tokens';
import type { Destination } from './bookPostbacksOut.ts';
import type { OwnerContext } from './ownerContext.ts';
import type { PostbackRequest } from './postbackText.ts';

/** null where the partner wants none, or must not be told. */
export function partnerDestination(context: OwnerContext): Destination | null {
  const { partnerPostback, visit } = context;
  if (partnerPostback === null || visit.isTest || visit.notes.includes('erased')) return null;
  const { statuses, method, url } = partnerPostback;
  return {
    id: visit.broughtBy,
    campaignId: visit.campaignId,
    delayMs: 0,
    due: (c): PostbackDue[] =>
      c.partner
        ? postbacksDue({ transitions: c.partner.changes }, { statuses, again: 'payout', delayMs: 0 })
        : [],
    request: (c, due): Promise<PostbackRequest> => {
      const values = partnerValues(context, c, due);
      const text = expandTemplate(compileTemplate(url), (name) => values(name));
      return Promise.resolve({ method, url: text, body: '' });
    },
  };
}

/** Only what is the partner's own, and what it is paid for. */
function partnerValues(
  { eventType, offer, visit }: OwnerContext,
  c: FoldedConversion,
  due: Transition,
): (name: string) => string | undefined {
  const own = new Map<string, string>([
    ['source_click_id', visit.sourceClickId],
    ['offer_id', offer?.id ?? ''],
    ['offer_name', offer?.name ?? ''],
    ['event', eventType.word],
    ['status', due.status],
    ['status_before', due.before ?? ''],
    ['partner_payout', formatAmount(due.payout)],
    ['partner_payout_currency', due.currency],
    ['conversion_time', new Date(c.convertedAt).toISOString()],
    ['conversion_unix', String(Math.floor(c.convertedAt / 1000))],
  ]);
  return (name) =>
    name.startsWith('partner_sub_')
      ? Object.hasOwn(visit.subs, name.slice(12))
        ? visit.subs[name.slice(12)]
        : undefined
      : own.get(name) || undefined;
}
