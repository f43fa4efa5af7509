/** Troubles that are seen by looking: landing pages, the pages of offers, tracking domains. */
import type { Pool } from 'pg';
import type { DomainCheck, LandingPageInput, PartRecord } from '@tracheon/core/contract';
import { pageRemarks } from '@tracheon/core/links';
import { landingPagesOf, offersOf } from '@tracheon/core/routing';
import type { Models } from '../db/models.ts';
import type { CheckDomain } from '../domains/checkDomain.ts';
import { keepCheck, listDomains } from '../domains/domainStore.ts';
import { MAX_PAGE_BYTES } from '../limits/limits.ts';
import { loadLooked, lookAtOffer, type Seen } from '../looks/lookAtOffer.ts';
import { proxyOf } from '../looks/proxyStore.ts';
import { throughProxy } from '../looks/throughProxy.ts';
import { checkPage, lastCheck } from '../pages/checkPage.ts';
import type { FetchPage } from '../pages/fetchPage.ts';
import { listParts } from '../parts/partRecords.ts';
import type { Walk } from '../setup/walk.ts';
import type { FoundSignal } from './reconcile.ts';

export interface LookGround {
  pool: Pool;
  models: Models;
  fetchPage: FetchPage;
  walk: Walk;
  checkDomain: CheckDomain;
  secret: string;
  allowOutgoing: ReadonlySet<string>;
  /** Of the tracking listener. */
  listening: string;
  nowMs: number;
}
/** Looks at once; partners are not to feel them. */
const AT_ONCE = 4;
/** Of one kind in one run: the rest comes with the next one. */
const AT_MOST = 400;

async function each<T>(all: readonly T[], look: (one: T) => Promise<FoundSignal[]>): Promise<FoundSignal[]> {
  const found: FoundSignal[] = [];
  const rest = all.slice(0, AT_MOST);
  const worker = async (): Promise<void> => {
    for (let one = rest.shift(); one !== undefined; one = rest.shift()) found.push(...(await look(one)));
  };
  await Promise.all(Array.from({ length: AT_ONCE }, worker));
  return found;
}

const ownOrigins = async ({ models, listening }: LookGround, deskId: string): Promise<string[]> =>
  (await listDomains(models, deskId, listening)).map((d) => d.origin);

/** What live campaigns send visitors to. */
async function inUse(models: Models, deskId: string): Promise<{ pages: Set<string>; offers: Set<string> }> {
  const campaigns = (await listParts(models, deskId, 'campaign')) as PartRecord<'campaign'>[];
  const live = campaigns.filter((c) => c.state === 'live');
  return {
    pages: new Set(live.flatMap((c) => landingPagesOf(c.body))),
    offers: new Set(live.flatMap((c) => offersOf(c.body))),
  };
}

export async function brokenPages(ground: LookGround, deskId: string): Promise<FoundSignal[]> {
  const { models } = ground;
  const { pages } = await inUse(models, deskId);
  const all = (await listParts(models, deskId, 'landing-page')) as PartRecord<'landing-page'>[];
  const origins = await ownOrigins(ground, deskId);
  const open = await openSubjects(ground.pool, deskId);
  return each(
    all.filter((p) => p.state === 'live' && pages.has(p.id)),
    (page) => lookAtPage(ground, deskId, page, origins, open),
  );
}

async function openSubjects(pool: Pool, deskId: string): Promise<Set<string>> {
  const { rows } = await pool.query<{ subject: string }>(
    `SELECT subject FROM signal_findings WHERE desk_id = $1 AND kind = 'page_broken' AND ended_at IS NULL`,
    [deskId],
  );
  return new Set(rows.map((r) => r.subject));
}

async function lookAtPage(
  { models, fetchPage, nowMs }: LookGround,
  deskId: string,
  page: PartRecord<'landing-page'>,
  origins: readonly string[],
  open: ReadonlySet<string>,
): Promise<FoundSignal[]> {
  const before = await lastCheck(models, deskId, page.id);
  const look = () => checkPage(models, fetchPage, origins, deskId, page, new Date(nowMs));
  let check = await look();
  // What fails once may be a hiccup of the way there.
  if (check.trouble !== 'ok') check = await look();
  const { name } = page.body as LandingPageInput;
  const base = {
    kind: 'page_broken' as const,
    name,
    group: page.id,
    groupName: name,
    sinceMs: null,
    sure: '',
    to: `/parts/landing-page?open=${page.id}`,
  };
  const bad = pageRemarks(check, false).filter((r) => r.weight === 'bad');
  const found: FoundSignal[] =
    bad.length === 0
      ? []
      : [
          {
            ...base,
            subject: page.id,
            sentence: `${name}: ${bad.map((r) => r.words).join(' ')}`,
            advice: 'Mend the page, or pause the campaigns that use it: their visitors are lost meanwhile.',
          },
        ];
  const scriptKey = `${page.id} script`;
  if (check.trouble === 'ok' && !check.script && (before?.script || open.has(scriptKey)))
    found.push({
      ...base,
      subject: scriptKey,
      sentence: `${name}: the script that was on the page is gone. Tracheon matches clicks by cookie, which some browsers block.`,
      advice: 'Put the script back into the page’s head.',
    });
  return found;
}

/** How an offer's page answers, as far as it is compared. */
interface OfferPage {
  host: string;
  status: number | null;
  title: string;
}
/** Numbers in a title change by themselves: dates, prices, stock. */
const titleOf = (title: string): string =>
  title.replaceAll(/\d+/g, '#').replaceAll(/\s+/g, ' ').trim().slice(0, 200);

const pageOf = ({ hops, title }: Seen): OfferPage => {
  const last = hops.at(-1);
  return {
    host: last ? new URL(last.url).host : '',
    status: last?.status ?? null,
    title: titleOf(title),
  };
};

export async function changedOffers(ground: LookGround, deskId: string): Promise<FoundSignal[]> {
  const { offers } = await inUse(ground.models, deskId);
  const all = (await listParts(ground.models, deskId, 'offer')) as PartRecord<'offer'>[];
  const origins = await ownOrigins(ground, deskId);
  return each(
    all.filter((o) => o.state === 'live' && o.body.sending === 'live' && offers.has(o.id)),
    (offer) => lookAtOne(ground, deskId, offer, origins),
  );
}

async function lookAtOne(
  ground: LookGround,
  deskId: string,
  { id }: PartRecord<'offer'>,
  origins: readonly string[],
): Promise<FoundSignal[]> {
  const looked = await loadLooked(ground.pool, deskId, id);
  if (looked.network.noLooks) return [];
  const { pool, secret, walk, nowMs, allowOutgoing } = ground;
  const country = looked.offer.body.countries[0] ?? '';
  const proxy = country === '' ? null : await proxyOf(pool, secret, deskId, country);
  const through = proxy ? throughProxy(proxy, allowOutgoing, MAX_PAGE_BYTES) : undefined;
  try {
    const look = (): Promise<Seen> =>
      lookAtOffer({ walk, ownOrigins: origins, nowMs }, looked, { country, device: 'phone' }, through);
    let seen = await look();
    // What fails once may be a hiccup of the way there.
    if (!seen.isFound) seen = await look();
    // The offer's link itself can't be used: its form says so.
    if (seen.hops.length === 0) return [];
    const baseline = await keepLook(pool, deskId, id, seen);
    const says = offerTrouble(seen, baseline);
    if (says === '') return [];
    const { name } = looked.offer.body;
    return [
      {
        kind: 'offer_changed',
        subject: id,
        name,
        group: id,
        groupName: name,
        sinceMs: null,
        sentence: `${name}: ${says}`,
        sure: '',
        advice: `Open the offer’s link and ask ${looked.network.name}. Visitors go there until you change or pause the offer.`,
        to: `/parts/offer?open=${id}`,
      },
    ];
  } finally {
    await through?.destroy();
  }
}

/** The first good look is what later ones are compared with; `{}` until there is one. */
async function keepLook(pool: Pool, deskId: string, id: string, seen: Seen): Promise<Partial<OfferPage>> {
  const { rows } = await pool.query<{ baseline: Partial<OfferPage> }>(
    `INSERT INTO offer_looks (part_id, desk_id, baseline, seen) VALUES ($1, $2, CASE WHEN $4 THEN $3::jsonb ELSE '{}' END, $3)
     ON CONFLICT (part_id) DO UPDATE SET seen = excluded.seen,
       baseline = CASE WHEN $4 AND coalesce((offer_looks.baseline->>'status')::int, 999) >= 400 THEN excluded.seen ELSE offer_looks.baseline END
     RETURNING baseline`,
    [id, deskId, JSON.stringify(pageOf(seen)), seen.isFound],
  );
  return rows[0]!.baseline;
}

function offerTrouble(seen: Seen, before: Partial<OfferPage>): string {
  if (seen.hops.at(-1)?.way === 'own') return 'its link leads back to your own tracking domain.';
  const now = pageOf(seen);
  if (!seen.isFound) {
    // A member has said that even this is right.
    const isKnown = before.host === now.host && before.status === now.status;
    return isKnown ? '' : seen.sentence.charAt(0).toLowerCase() + seen.sentence.slice(1);
  }
  if (now.host !== before.host) return `it now leads to ${now.host}; before it was ${before.host}.`;
  if (now.title !== '' && before.title && now.title !== before.title)
    return `its page has another title: “${seen.title.slice(0, 100)}”.`;
  return '';
}

export async function domainsInTrouble(ground: LookGround, deskId: string): Promise<FoundSignal[]> {
  const { models, listening, checkDomain, nowMs } = ground;
  const domains = (await listDomains(models, deskId, listening)).filter((d) => d.id !== '');
  return each(domains, async ({ id, origin }): Promise<FoundSignal[]> => {
    let check = await checkDomain(origin, nowMs);
    // What fails once may be a hiccup of the way there.
    if (check.result !== 'ok') check = await checkDomain(origin, nowMs);
    await keepCheck(models, deskId, id, check);
    if (!isTrouble(check)) return [];
    const { host } = new URL(origin);
    return [
      {
        kind: 'domain_trouble',
        subject: id,
        name: host,
        group: 'domains',
        groupName: 'tracking domains',
        sinceMs: null,
        sentence: check.sentence,
        sure: '',
        advice:
          check.result === 'ok'
            ? 'Renew the certificate. Browsers turn visitors away once it has ended.'
            : 'Visitors with links of this domain do not reach you. Check its DNS record and your server.',
        to: '/settings',
      },
    ];
  });
}
const CERTIFICATE_DAYS = 14;
const isTrouble = ({ result, certificateDays }: DomainCheck): boolean =>
  result !== 'ok' || (certificateDays !== null && certificateDays < CERTIFICATE_DAYS);
