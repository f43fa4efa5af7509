import { expect, it } from '@jest/globals';
import { networkInput, offerInput, sourceInput } from '../contract/index.ts';
import { checkChain, type Chain } from './chain.ts';

const chain = (more: { source?: object; offer?: object; campaign?: object; macro?: string }): Chain => ({
  campaign: { costModel: 'link', costCurrency: 'EUR', ...more.campaign },
  source: sourceInput.parse({ name: 'Moorhen Push', ...more.source }),
  offer: offerInput.parse({ name: 'Jar', networkId: 'N', link: 'https://o.example/', ...more.offer }),
  network: networkInput.parse({
    name: 'Larkspur CPA',
    fields: { payout: { macro: more.macro ?? '#amt#' } },
  }),
  deskCurrency: 'EUR',
});
const said = (c: Chain): string[] => checkChain(c).map((f) => `${f.code} ${f.at}`);

it.each([
  [chain({}), []],
  [chain({ source: { costCurrency: 'USD' } }), ['currency_differs campaign']],
  [chain({ source: { costCurrency: 'USD' }, campaign: { costModel: 'none' } }), []],
  [chain({ offer: { currency: 'USD' }, campaign: { costModel: 'visit' } }), ['currency_differs campaign']],
  [
    chain({
      source: { costCurrency: 'USD', postbackUrl: 'https://s.example/?v={payout}' },
      campaign: { costModel: 'none' },
    }),
    ['currency_differs source'],
  ],
  [
    chain({
      source: {
        costCurrency: 'USD',
        postbackUrl: 'https://s.example/?v={payout}',
        reportPayout: 'converted',
      },
      campaign: { costModel: 'none' },
    }),
    [],
  ],
  [
    chain({
      source: { costCurrency: 'USD', postbackUrl: 'https://s.example/?v={payout}&c={payout_currency}' },
      campaign: { costModel: 'none' },
    }),
    [],
  ],
  [chain({ macro: '' }), ['no_payout_macro network']],
  [chain({ macro: '', offer: { payoutMode: 'fixed', payoutMicros: '1' } }), []],
])('a chain, case %#', (c, wanted) => expect(said(c)).toEqual(wanted));
