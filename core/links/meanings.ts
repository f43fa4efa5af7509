/** What parameters with common names usually carry, for the link reader: a hint beside the name, nothing is decided by it. */
const meanings: [RegExp, string][] = [
  [/^(click|clk|cid|visit)[_-]?(id)?$|click[_-]?id/i, 'a click ID'],
  [/^(aff[_-]?)?sub[_-]?(id)?[_-]?\d*$|^s\d$/i, 'a sub-ID'],
  [/^(site|publisher|pub|domain|app)([_-]?(id|name))?$/i, 'the site'],
  [/^zone([_-]?id)?$|^(placement|slot|spot)([_-]?id)?$/i, 'the zone or placement'],
  [/^(ad|creative|banner)([_-]?(id|name))?$/i, 'the ad'],
  [/^(title|headline)$/i, 'the ad’s title'],
  [/campaign/i, 'the campaign'],
  [/^(kw|keywords?|term|q|query)[_[-]?\d*\]?$|^utm_term$/i, 'a keyword'],
  [/^utm_source$|^(src|source|network)$/i, 'the source'],
  [/^utm_/i, 'a mark for web statistics'],
  [/^(cost|bid|cpc|cpm|price)$/i, 'the cost'],
  [/^(payout|amount|amt|sum|revenue|value)$/i, 'an amount'],
  [/^(currency|cur|ccy)$/i, 'the currency'],
  [/^(txn|transaction|order)([_-]?id)?$/i, 'a transaction'],
  [/^(status|state)$/i, 'a status'],
  [/^(country|geo|cc)$/i, 'the country'],
  [/^(region|city)$/i, 'the place'],
  [/^(lang|language|locale|hl)$/i, 'the language'],
  [/^(device|os|browser|ua|user[_-]?agent)$/i, 'the device'],
  [/^(ref|referrer|referer)$/i, 'the referrer'],
  [
    /^(url|u|to|target|dest|destination|redirect|next|return|goto|r)([_-]?(url|to))?$/i,
    'an address to go on to',
  ],
  [/^(t|ts|time|timestamp)$/i, 'a time'],
  [/^(sig|signature|hash|token|hmac)$/i, 'a signature: changing the link may break it'],
];

export const meaningOf = (name: string): string => meanings.find(([shape]) => shape.test(name))?.[1] ?? '';
