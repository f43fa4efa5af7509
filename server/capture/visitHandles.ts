/**
 * How a button click finds its visit again. The page's address carries the click ID and a signed mark of the campaign;
 * the same stands in a signed cookie with the last visits of this browser. What is signed can be trusted without the
 * database; what is not only counts once the database knows it.
 */
import { createHmac, timingSafeEqual } from 'node:crypto';
import { keyedHash } from './keyedHash.ts';
import { LRUCache } from 'lru-cache';
import { parseClickId } from '@tracheon/core/identity';
import type { TokenVisit } from '@tracheon/core/visits';

export interface VisitHandle {
  clickId: string;
  campaignKey: string;
  /** Empty for a visit that went straight to its offer: it has no buttons, and is remembered for branches that ask. */
  landingKey: string;
  /** The pairing that was drawn: it says which offer each button leads to. */
  pairingId: string;
}
/** What a mark on a button link tells, once it is verified. */
export type Marked = Pick<VisitHandle, 'campaignKey' | 'pairingId'>;

/** The parameter beside `click_id`, on the page's address and on its button links. */
export const MARK_PARAMETER = '_c';
export const CLICK_ID_PARAMETER = 'click_id';
const COOKIE = 'last_visits';
/** So many visits of one browser are remembered: tabs that are open at once. */
const MAX_HANDLES = 8;
/** A page may stay open for days before its button is pressed. */
const COOKIE_SECONDS = 7 * 24 * 3600;
/** 96 bits: nobody guesses one in a lifetime, and eight of them still fit a cookie. */
const MAC_LENGTH = 16;

/** What visits on pages are remembered by, for clicks while the database is away; about 1.5 KiB each. */
export type RecentVisits = LRUCache<string, TokenVisit>;
export const recentVisits = (): RecentVisits => new LRUCache({ max: 20_000 });

export class Handles {
  private readonly sign: (text: string) => string;

  constructor(
    secret: string,
    private readonly secure: boolean,
  ) {
    // A key of its own, so that no signature made for one thing is good for another.
    this.sign = keyedHash(createHmac('sha256', secret).update('visit handles').digest());
  }

  /** The page's address with the mark; the click ID is in it already. */
  addTo(url: string, h: VisitHandle): string {
    const hash = url.indexOf('#');
    const [head, fragment] = hash < 0 ? [url, ''] : [url.slice(0, hash), url.slice(hash)];
    const joint = head.includes('?') ? (/[?&]$/.test(head) ? '' : '&') : '?';
    return `${head}${joint}${MARK_PARAMETER}=${this.mark(h)}${fragment}`;
  }

  /** What stands beside the click ID, and shows that it is one of ours. */
  mark(h: VisitHandle): string {
    return `${h.campaignKey}.${h.pairingId}.${this.mac(h)}`;
  }

  /** What a mark tells, when it was signed for this click ID and page; else null. */
  read(mark: string, clickId: string, landingKey: string): Marked | null {
    const [campaignKey = '', pairingId = '', mac = ''] = mark.split('.', 3);
    return this.isRight({ clickId, campaignKey, landingKey, pairingId }, mac)
      ? { campaignKey, pairingId }
      : null;
  }

  /** Set-Cookie with this visit before those of the request's cookie. */
  cookie(cookies: string | undefined, newest: VisitHandle): string {
    // The others are copied as they came: whoever reads one of them asks then whether we have signed it.
    const others = entriesOf(cookies).filter((e) => SHAPE.test(e) && !e.startsWith(newest.clickId));
    const { clickId, landingKey, campaignKey, pairingId } = newest;
    const value = [[clickId, landingKey, campaignKey, pairingId, this.mac(newest)].join('.'), ...others]
      .slice(0, MAX_HANDLES)
      .join('~');
    const flags = this.secure ? 'SameSite=None; Secure' : 'SameSite=Lax';
    return `${COOKIE}=${value}; Path=/; Max-Age=${COOKIE_SECONDS}; HttpOnly; ${flags}`;
  }

  /** The visits in a request's cookies, newest first; what is not signed by us is left out. */
  readCookies(cookies: string | undefined): VisitHandle[] {
    return entriesOf(cookies).flatMap((entry) => {
      const [id = '', landingKey = '', campaignKey = '', pairingId = '', mac = ''] = entry.split('.', 5);
      const clickId = parseClickId(id);
      if (clickId === null) return [];
      const h = { clickId, campaignKey, landingKey, pairingId };
      return this.isRight(h, mac) ? [h] : [];
    });
  }

  private mac({ clickId, campaignKey, landingKey, pairingId }: VisitHandle): string {
    return this.sign(`${clickId}|${campaignKey}|${landingKey}|${pairingId}`).slice(0, MAC_LENGTH);
  }
  private isRight(h: VisitHandle, mac: string): boolean {
    const [given, right] = [Buffer.from(mac), Buffer.from(this.mac(h))];
    return given.length === right.length && timingSafeEqual(given, right);
  }
}

/** Click ID, page, campaign, pairing and signature. */
const SHAPE = /^[0-9A-Z]{26}\.[\w-]{0,40}\.[\w-]{1,40}\.[\w-]{1,40}\.[\w-]{16}$/;

function entriesOf(cookies: string | undefined): string[] {
  const value = cookies
    ?.split(/;\s*/)
    .find((c) => c.startsWith(`${COOKIE}=`))
    ?.slice(COOKIE.length + 1);
  return value ? value.split('~', MAX_HANDLES) : [];
}
