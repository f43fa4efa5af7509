/** Sends one visit over a real socket, as this ad network's visitors would come: through its address, with theirs forwarded. */
import { request as httpRequest } from 'node:http';
import type { Character } from './characters.ts';
import { fillMacros } from './fillMacros.ts';
import type { Random } from '../habits/random.ts';
import { priceText } from '../habits/traffic.ts';
import type { Visitor } from './visitors.ts';

export interface SentVisit {
  at: number;
  url: string;
  clickId: string;
  status: number;
  location: string;
  bought: boolean;
}
const TIMEOUT_MS = 10_000;

interface Answer {
  status: number;
  location: string;
  body: string;
}

function get(
  url: string,
  localAddress: string | undefined,
  headers: Record<string, string>,
  form?: string,
): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const req = httpRequest(
      url,
      { localAddress, headers, method: form === undefined ? 'GET' : 'POST', timeout: TIMEOUT_MS },
      (res) => {
        let body = '';
        res.setEncoding('utf8');
        res.on('data', (c: string) => (body += c));
        res.on('end', () =>
          resolve({ status: res.statusCode ?? 0, location: res.headers.location ?? '', body }),
        );
      },
    );
    req.on('timeout', () => req.destroy(new Error('no answer in 10 s')));
    req.on('error', reject);
    req.end(form);
  });
}

export async function sendVisit(
  link: string,
  visitor: Visitor,
  buyShare: number,
  localAddress: string,
  random: Random,
  now: number,
  character: Pick<Character, 'clickPrefix' | 'shape'>,
  price = USUAL_PRICE,
): Promise<SentVisit> {
  const clickId = `${character.clickPrefix}${now.toString(36)}${Math.floor(random() * 1e9).toString(36)}`;
  const url = fillMacros(link, character.shape, {
    click: clickId,
    clickid: clickId,
    click_id: clickId,
    cid: clickId,
    site: visitor.site,
    zone: String(1000 + visitor.site.length),
    ad: `ad-${1 + Math.floor(random() * 4)}`,
    title: 'See the rings of Saturn',
    keyword: 'star map',
    campaign: 'kits-autumn',
    price: priceText(price, random),
    cost: priceText(price, random),
    country: visitor.country,
  });
  const headers = headersOf(visitor);
  const answer = await get(url, localAddress, { ...headers, 'X-Forwarded-For': visitor.address });
  const buys = answer.location !== '' && !visitor.isBot && random() < buyShare;
  const bought = buys && (await order(answer.location, headers));
  return { at: now, url, clickId, status: answer.status, location: answer.location, bought };
}
export const USUAL_PRICE = 0.04;

const headersOf = (visitor: Visitor): Record<string, string> => ({
  'User-Agent': visitor.agent,
  'Accept-Language': visitor.language,
  Referer: `https://${visitor.site}/`,
});

/** Fills the order form of the shop behind this address; false where there is none. */
export async function order(location: string, headers: Record<string, string> = {}): Promise<boolean> {
  const shop = await get(location, undefined, headers).catch(() => null);
  const form = shop && /<form[^>]*id="order"[^>]*action="([^"]*)"/.exec(shop.body)?.[1];
  if (!form) return false;
  const to = new URL(form.replaceAll('&#38;', '&'), location).toString();
  const type = { 'Content-Type': 'application/x-www-form-urlencoded' };
  return get(to, undefined, { ...headers, ...type }, 'name=Practice+visitor').then(
    () => true,
    () => false,
  );
}
