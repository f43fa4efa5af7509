/** A made-up visit to fill a template with, so that one sees what will go out. */
export const sampleVisit: Record<string, string> = {
  click_id: '01KAVB5T9C7QK2M8W3XJ4RZ6ND',
  source_click_id: 'mh7f20c',
  source_id: '01KAV0SOURCE00000000000000',
  source_name: 'Moorhen Push',
  network_name: 'Larkspur CPA',
  campaign_id: '01KAV0CAMPAIGN000000000000',
  campaign_name: 'NL · Terrarium · Moorhen',
  branch_name: 'otherwise',
  offer_id: '01KAV0OFFER000000000000000',
  offer_name: 'Fernway terrarium box',
  landing_id: '01KAV0PAGE0000000000000000',
  landing_name: 'Terrarium story',
  country: 'NL',
  region: 'Gelderland',
  city: 'Nijmegen',
  language: 'nl',
  device: 'phone',
  device_model: 'Pixel 8',
  os: 'Android',
  os_version: '15',
  browser: 'Chrome',
  browser_version: '142',
  isp: 'Waalnet',
  connection: 'mobile',
  user_agent: 'Mozilla/5.0 (Linux; Android 15)',
  ip: '145.53.9.9',
  referrer: 'https://tuinpraat.example/moss',
  referrer_host: 'tuinpraat.example',
  visit_time: '2026-11-25T09:30:00.000Z',
  visit_unix: '1795599000',
  cost: '0.031',
  currency: 'EUR',
  nonce: '9C7QK2M8W3XJ4RZ6',
  payout: '18',
  payout_currency: 'EUR',
  event: 'sale',
  status: 'approved',
  status_before: 'pending',
  transaction: 'LK-7F20C4',
  conversion_time: '2026-11-25T10:12:00.000Z',
  conversion_unix: '1795601520',
};
const subs: Record<string, string> = {
  site: 'tuinpraat.example',
  zone: '1017',
  ad: 'ad-3',
  title: 'A garden that waters itself',
  keyword: 'moss & ferns',
  campaign: 'kits-autumn',
};

/** A value for any token; of sub-IDs that nobody knows, their name. */
export function sampleValue(name: string): string | undefined {
  if (Object.hasOwn(sampleVisit, name)) return sampleVisit[name];
  const sub = /^(?:partner_)?sub_(.+)$/.exec(name)?.[1];
  if (sub === undefined) return name.startsWith('extra_') ? name.slice(6) : undefined;
  return Object.hasOwn(subs, sub) ? subs[sub] : sub;
}
