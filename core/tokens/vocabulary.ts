/** The tokens that exist, each with its meaning, and where it can be used. */
/** `partner`: in a postback that a partner wants; it may carry nothing of the desk's. */
export type TokenPlace = 'visit' | 'conversion' | 'partner';

export const visitTokens: Record<string, string> = {
  click_id: 'our click ID',
  source_click_id: "the source's own click ID",
  source_id: 'ID of the source',
  source_name: 'name of the source',
  network_name: 'name of the network',
  campaign_id: 'ID of the campaign',
  campaign_name: 'name of the campaign',
  branch_name: 'name of the branch',
  offer_id: 'ID of the offer',
  offer_name: 'name of the offer',
  landing_id: 'ID of the landing page',
  landing_name: 'name of the landing page',
  country: 'visitor’s country, two letters',
  region: 'visitor’s region',
  city: 'visitor’s city',
  language: 'browser language',
  device: 'device type',
  device_model: 'device model',
  os: 'operating system',
  os_version: 'operating system version',
  browser: 'browser',
  browser_version: 'browser version',
  isp: 'internet provider',
  connection: 'connection type',
  user_agent: 'full user agent',
  ip: 'visitor’s IP address, if the desk allows it',
  referrer: 'referrer',
  referrer_host: 'host of the referrer',
  visit_time: 'visit time, ISO 8601',
  visit_unix: 'visit time, seconds since 1970',
  cost: 'cost of the visit',
  currency: 'currency of the cost',
  partner_id: 'ID of the partner',
  nonce: 'a random number',
};
export const conversionTokens: Record<string, string> = {
  payout: 'payout of the conversion',
  payout_currency: 'currency of the payout',
  event: "event type's word",
  status: 'status of the conversion',
  status_before: 'status before this change',
  transaction: "the network's transaction",
  conversion_time: 'conversion time, ISO 8601',
  conversion_unix: 'conversion time, seconds since 1970',
  partner_payout: 'payout to the partner',
  partner_payout_currency: 'currency of the payout to the partner',
};
export const partnerTokens: Record<string, string> = {
  source_click_id: 'your own click ID',
  offer_id: 'ID of the offer',
  offer_name: 'name of the offer',
  event: "event type's word",
  status: 'pending, approved or rejected',
  status_before: 'status before this change',
  partner_payout: 'your payout',
  partner_payout_currency: 'currency of your payout',
  conversion_time: 'conversion time, ISO 8601',
  conversion_unix: 'conversion time, seconds since 1970',
};
/** Those that a place has besides the ones with a prefix. */
export const tokensOf: Record<TokenPlace, Record<string, string>> = {
  visit: visitTokens,
  conversion: { ...visitTokens, ...conversionTokens },
  partner: partnerTokens,
};
/** What is most often wanted at a place, first: completion offers these before the rest. */
export const firstTokens: Record<TokenPlace, readonly string[]> = {
  visit: ['click_id', 'source_name', 'country', 'device'],
  partner: ['source_click_id', 'partner_payout', 'status', 'event'],
  conversion: ['source_click_id', 'payout', 'payout_currency', 'event', 'status', 'transaction'],
};
const prefixes: Record<TokenPlace, string[]> = {
  visit: ['sub_', 'partner_sub_'],
  conversion: ['sub_', 'partner_sub_', 'extra_'],
  partner: ['partner_sub_'],
};

export function isKnownToken(name: string, place: TokenPlace): boolean {
  const plain = name.endsWith('_enc') ? name.slice(0, -4) : name;
  const known = (n: string): boolean =>
    Object.hasOwn(tokensOf[place], n) ||
    prefixes[place].some((p) => n.startsWith(p) && /^[a-z][a-z0-9_]*$/.test(n.slice(p.length)));
  return known(name) || known(plain);
}

/** The known token nearest to a misspelt one, or null when none is near (edit distance ≤ 3 and < half its length). */
export function nearestToken(name: string, place: TokenPlace): string | null {
  const all = Object.keys(tokensOf[place]);
  let best: string | null = null;
  let bestDistance = Math.min(4, Math.ceil(name.length / 2));
  for (const candidate of all) {
    const d = distance(name.toLowerCase(), candidate);
    if (d < bestDistance) [best, bestDistance] = [candidate, d];
  }
  return best;
}

function distance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++)
      next[j] = Math.min(next[j - 1]! + 1, row[j]! + 1, row[j - 1]! + (a[i - 1] === b[j - 1] ? 0 : 1));
    row = next;
  }
  return row[b.length]!;
}
