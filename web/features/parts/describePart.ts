/** One line that says what a part says, for lists and their search. */
import { landingPagesOf, offersOf } from '@tracheon/core/routing';
import type { PartKind, PartRecord } from '@tracheon/core/contract';
import { formatAmount } from '@tracheon/core/money';
import { subsOf } from '@tracheon/core/parts';
import { counted } from '../../ui/format.ts';

type ById = ReadonlyMap<string, PartRecord>;

const describe: { [K in PartKind]: (p: PartRecord<K>, byId: ById) => string } = {
  network: ({ body }) =>
    `click ID out as ${body.clickIdParameter}, back as ${body.fields.click_id.macro || 'no macro yet'} · ${body.statusWords.length === 0 ? `no status means ${body.noStatusMeans}` : `status words ${body.statusWords.map((w) => w.word).join(', ')}`}`,
  source: ({ body }) => {
    const click = body.parameters.find((p) => p.role === 'click_id');
    const cost = body.parameters.find((p) => p.role === 'cost');
    // Two parameters may fill one.
    const subs = subsOf(body).length;
    return [
      click ? `click ID as ${click.parameter}` : 'no click ID',
      subs === 0 ? 'no sub-ID' : counted(subs, 'sub-ID'),
      cost ? `cost as ${cost.parameter}, ${body.costCurrency}` : 'no cost parameter',
      body.postbackUrl === ''
        ? 'takes no postback'
        : `gets a postback when ${body.reportStatuses.join(', ')}`,
    ].join(' · ');
  },
  'landing-page': ({ body }) =>
    [
      /^https?:\/\/([^?#]+)/.exec(body.url)?.[1] ?? body.url,
      body.buttons === 1 ? 'one button' : `${body.buttons} buttons`,
      body.countries.length === 0 ? 'any country' : body.countries.join(' '),
    ].join(' · '),
  offer: ({ body }, byId) =>
    [
      byId.get(body.networkId)?.body.name ?? 'no network',
      body.countries.length === 0 ? 'any country' : body.countries.join(' '),
      body.payoutMode === 'fixed'
        ? fixedPayout(body)
        : `pays as reported${body.payoutMicros === '' ? '' : `, else ${amount(body.payoutMicros)}`} ${body.currency}`,
      body.partnerPayouts.length > 0 && 'pays partners',
    ]
      .filter(Boolean)
      .join(' · '),
  'event-type': ({ body }) =>
    [
      `named “${body.word}” in postbacks`,
      body.repeats ? 'may repeat' : 'once per visit',
      body.countsAsConversion && 'Counts as conversion',
      body.countsAsRevenue && 'Counts as revenue',
    ]
      .filter(Boolean)
      .join(' · '),
  partner: ({ body }) =>
    [body.email, ...body.knownAs.map((told) => `also ${told}`)].filter(Boolean).join(' · '),
  campaign: ({ body }, byId) =>
    [body.sourceId, ...landingPagesOf(body), ...offersOf(body)]
      .filter(Boolean)
      .map((id) => byId.get(id)?.body.name ?? '–')
      .join(' → '),
};
/** Amounts by event type, country or day stand in for the one amount that an offer may lack. */
function fixedPayout({ payoutMicros, payouts, currency }: PartRecord<'offer'>['body']): string {
  if (payoutMicros !== '') return `pays ${amount(payoutMicros)} ${currency}`;
  const all = payouts.map((p) => BigInt(p.amountMicros)).sort((a, b) => (a < b ? -1 : 1));
  const [least, most] = [all[0], all.at(-1)];
  if (least === undefined || most === undefined) return `pays – ${currency}`;
  return least === most
    ? `pays ${formatAmount(least)} ${currency}`
    : `pays ${formatAmount(least)} to ${formatAmount(most)} ${currency}`;
}
const amount = (micros: string): string => (micros === '' ? '–' : formatAmount(BigInt(micros)));

export function describePart(part: PartRecord, byId: ById): string {
  return (describe[part.kind] as (p: PartRecord, byId: ById) => string)(part, byId);
}
