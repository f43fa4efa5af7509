/** The address with which a source is told of a conversion: its template with visit and conversion tokens filled. */
import type { FoldedConversion, Transition } from '@tracheon/core/conversions';
import { formatAmount } from '@tracheon/core/money';
import { compileTemplate, expandTemplate } from '@tracheon/core/tokens';
import { visitToken, type TokenVisit } from '../capture/buildVisit.ts';
import type { OwnerContext, StoredVisit } from './ownerContext.ts';

export function postbackText(
  context: OwnerContext,
  c: FoldedConversion,
  t: Transition,
  conversionId: string,
  extras: Readonly<Record<string, string>>,
): string {
  const { source, network, offer, landing, campaign } = context;
  const fromVisit = visitToken(
    { source, network, offer, landing: landing && { part: landing }, id: campaign.id, name: campaign.name },
    tokenVisit(context.visit),
  );
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

/** The stored visit as tokens are filled from it; its full agent is not kept with it. */
export function tokenVisit(v: StoredVisit): TokenVisit {
  return {
    deskId: '',
    id: v.id,
    atMs: v.at.getTime(),
    campaignId: v.campaign_id,
    campaignVersion: 0,
    sourceId: v.source_id,
    branch: v.branch,
    offerId: v.offer_id,
    offerVersion: v.offer_version,
    networkId: v.network_id,
    landingId: v.landing_id,
    landingVersion: v.landing_version,
    country: v.country,
    region: v.region,
    city: v.city,
    isp: v.isp,
    connection: v.connection,
    language: v.language,
    device: v.device,
    deviceModel: v.device_model,
    os: v.os,
    osVersion: v.os_version,
    browser: v.browser,
    browserVersion: v.browser_version,
    referrerHost: v.referrer_host,
    isBot: v.is_bot,
    isRepeat: false,
    isUnique: false,
    isTest: v.is_test,
    costMicros: v.cost_micros === null ? null : BigInt(v.cost_micros),
    costCurrency: v.cost_currency,
    sourceClickId: v.source_click_id,
    subs: v.subs,
    // Not kept with the visit: full agents lie apart and expire.
    userAgent: '',
  };
}
