/** The request with which a source is told of a conversion: its templates with visit and conversion tokens filled. */
import type { PostbackMethod } from '@tracheon/core/contract';
import type { FoldedConversion, Transition } from '@tracheon/core/conversions';
import { formatAmount } from '@tracheon/core/money';
import { fillBody } from '@tracheon/core/links';
import { compileTemplate, expandTemplate, type TokenSource, type TokenValue } from '@tracheon/core/tokens';
import { tokenVisit, visitToken } from '@tracheon/core/visits';
import { branchNames } from '../capture/visitNames.ts';
import type { SourcedContext } from './ownerContext.ts';

/** Headers are the source's at the moment of sending. */
export interface PostbackRequest {
  method: PostbackMethod;
  url: string;
  /** Empty but for a form and JSON. */
  body: string;
}

export function postbackRequest(
  context: SourcedContext,
  c: FoldedConversion,
  t: Transition,
  conversionId: string,
  extras: Readonly<Record<string, string>>,
): PostbackRequest {
  const { postbackMethod: method, postbackBody } = context.source.body;
  const valueOf = conversionTokens(context, c, t, conversionId, extras);
  return {
    method,
    url: expandTemplate(compileTemplate(postbackTemplate(context)), valueOf),
    body:
      method === 'form' || method === 'json'
        ? fillBody(method, postbackBody, (name) => textOf(valueOf(name)))
        : '',
  };
}

const textOf = (value: TokenValue): string | undefined =>
  typeof value === 'string' ? value : value === undefined || value === null ? undefined : String(value);

function conversionTokens(
  context: SourcedContext,
  c: FoldedConversion,
  t: Transition,
  conversionId: string,
  extras: Readonly<Record<string, string>>,
): TokenSource {
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
  return (name) => {
    if (name.startsWith('extra_'))
      return Object.hasOwn(extras, name.slice(6)) ? extras[name.slice(6)] : undefined;
    return own.get(name) ?? fromVisit(name);
  };
}

/** Of the account in which the campaign runs, where that has an address of its own; else the source's. */
export function postbackTemplate({ source, campaign }: SourcedContext): string {
  const account = campaign.body.account ?? '';
  const own = account === '' ? undefined : source.body.accounts.find((a) => a.name === account);
  return own?.postbackUrl || source.body.postbackUrl;
}

function conversionValues(
  { eventType }: SourcedContext,
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
    ...(c.partner
      ? ([
          ['partner_payout', formatAmount(c.partner.amount)],
          ['partner_payout_currency', c.partner.currency],
        ] as const)
      : []),
  ]);
}
