/** The address with which a source is told of a conversion: its template with visit and conversion tokens filled. */
import type { FoldedConversion, Transition } from '@tracheon/core/conversions';
import { formatAmount } from '@tracheon/core/money';
import { compileTemplate, expandTemplate } from '@tracheon/core/tokens';
import { tokenVisit, visitToken } from '@tracheon/core/visits';
import { branchNames } from '../capture/visitNames.ts';
import type { OwnerContext } from './ownerContext.ts';

export function postbackText(
  context: OwnerContext,
  c: FoldedConversion,
  t: Transition,
  conversionId: string,
  extras: Readonly<Record<string, string>>,
): string {
  const { source, network, offer, landing, campaign } = context;
  const names = {
    source,
    network,
    offer: offer ?? { id: '', name: '' },
    landing: landing && { part: landing },
    id: campaign.id,
    name: campaign.name,
    branchName: branchNames(campaign.body),
  };
  const fromVisit = visitToken(names, tokenVisit(context.visit));
  const own = conversionValues(context, c, t, conversionId);
  return expandTemplate(compileTemplate(postbackTemplate(context)), (name) => {
    if (name.startsWith('extra_'))
      return Object.hasOwn(extras, name.slice(6)) ? extras[name.slice(6)] : undefined;
    return own.get(name) ?? fromVisit(name);
  });
}

/** Of the account in which the campaign runs, where that has an address of its own; else the source's. */
export function postbackTemplate({ source, campaign }: OwnerContext): string {
  const account = campaign.body.account ?? '';
  const own = account === '' ? undefined : source.body.accounts.find((a) => a.name === account);
  return own?.postbackUrl || source.body.postbackUrl;
}

function conversionValues(
  { eventType }: OwnerContext,
  c: FoldedConversion,
  t: Transition,
  conversionId: string,
): Map<string, string> {
  return new Map([
    ['payout', formatAmount(t.payout)],
    ['payout_currency', t.currency],
    ['event', eventType.word],
    ['status', t.status],
    ...(t.before === null ? [] : [['status_before', t.before] as const]),
    ['transaction', c.ident.startsWith('t:') ? c.ident.slice(2) : conversionId],
    ['conversion_time', new Date(c.convertedAt).toISOString()],
    ['conversion_unix', String(Math.floor(c.convertedAt / 1000))],
  ]);
}
