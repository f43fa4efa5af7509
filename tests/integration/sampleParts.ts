/** Parts of the invented scenario, as a member would enter them; numbered, since names are unique. */
export interface Sample {
  network: object;
  source: object;
  offer: object;
  campaign: object;
}

export function sampleParts(n: number): Sample {
  return {
    network: {
      name: `Larkspur CPA ${n}`,
      clickIdParameter: 'aff_ref',
      macroStyle: '#x#',
      fields: {
        click_id: { macro: '#ref#' },
        payout: { macro: '#amt#' },
        currency: { macro: '#cur#' },
        transaction: { macro: '#txn#' },
        status: { macro: '#st#' },
        event: { macro: '#ev#' },
      },
      statusWords: [
        { word: 'wait', means: 'pending' },
        { word: 'ok', means: 'approved' },
        { word: 'no', means: 'rejected' },
        { word: 'back', means: 'reversed' },
        { word: 'noise', means: 'ignore' },
      ],
    },
    source: {
      name: `Moorhen Push ${n}`,
      macroStyle: '[x]',
      parameters: [
        { parameter: 'clk', macro: '[click]', role: 'click_id' },
        { parameter: 'site', macro: '[site]', role: 'sub', sub: 'site' },
        { parameter: 'pub', macro: '[pub]', role: 'sub', sub: 'site' },
        { parameter: 'title', macro: '[title]', role: 'sub', sub: 'title' },
        { parameter: 'bid', macro: '[cost]', role: 'cost' },
      ],
      costUnit: 'visit',
      costCurrency: 'EUR',
    },
    offer: {
      name: `Fernway terrarium box ${n}`,
      link: 'https://go.larkspur.example/o/4471?pub=902&src={source_name}&site={sub_site}',
      countries: ['BE', 'NL'],
      payoutMode: 'reported',
      currency: 'EUR',
    },
    campaign: { name: `NL · Terrarium ${n}`, costModel: 'link', costCurrency: 'EUR' },
  };
}
