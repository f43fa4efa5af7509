/**
 * GET /b/<landing key>/<n>: from a button of a landing page to the offer. Whose click it is, is told by the click ID in
 * the link, else by the signed cookie, in which the page's key picks the visit. Committed, then answered, as a visit is.
 *
 * The database away: the visits of this process, and what was signed into link and cookie, still lead to the offer.
 * A page with an offer for each button: the button's number picks it among those of the visit's pairing, also when the
 * branch is gone by now. One that takes nobody falls back as it does for visits; with nothing open, the visit's offer stays.
 *
 * No visit: the page's address to fall back on, else the only offer behind the page, else 404; counted in any case.
 */
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { ClickMatch } from '@tracheon/core/contract';
import { clickIdTime, parseClickId } from '@tracheon/core/identity';
import {
  asLocation,
  cleanText,
  decodePercent,
  destination,
  parseQuery,
  type CompiledLink,
} from '@tracheon/core/links';
import type { ClickRecord } from '../events/rows.ts';
import type { FailureThrottle } from '../limits/failureThrottle.ts';
import { clientAddress, type Ranges } from '../addresses/addresses.ts';
import { redirect, refuse, sendOn } from './answers.ts';
import { unknownVisit, type PartNames, type TokenVisit } from '@tracheon/core/visits';
import { ofButton } from '@tracheon/core/routing';
import { namesOf } from './visitNames.ts';
import { closedTo, header, hostOf, refuseNoVisit } from './handleVisit.ts';
import { onwardFrom, type Destination, type IsCapped } from './sendable.ts';
import type { CompiledCampaign, CompiledLanding, CompiledOffer, Snapshot } from '../snapshot/compiled.ts';
import {
  CLICK_ID_PARAMETER,
  MARK_PARAMETER,
  type Handles,
  type Marked,
  type RecentVisits,
} from './visitHandles.ts';
import { MAX_REFERRER_LENGTH, type FindPlace } from './visitor.ts';

export interface ButtonDeps {
  snapshot: () => Snapshot;
  recent: RecentVisits;
  handles: Handles;
  /** Undefined when there is no such visit; rejects when nobody can say. */
  findVisit: (deskId: string, clickId: string) => Promise<TokenVisit | undefined>;
  /** IDs of the offers that the visit's pairing had when the visit came, by button; rejects when nobody can say. */
  findOffers: (visit: TokenVisit) => Promise<readonly string[]>;
  /** With what the click itself may wait: less than 250 ms for lack of the database, unless the operator allows more. */
  lookUpPatienceMs: number;
  isCapped: IsCapped;
  /** Resolves once the click is durable; rejects when neither database nor disk took it. */
  keepClick: (click: ClickRecord) => Promise<unknown>;
  trusted: Ranges;
  findPlace: FindPlace;
  newId: (nowMs: number) => string;
  now: () => number;
  strangers: FailureThrottle;
  onClicked: (click: ClickRecord) => void;
  onClickUnrecorded: (click: ClickRecord, why: unknown) => void;
  onUnknownButton: (key: string, host: string, country: string) => void;
}

export async function handleButton(
  deps: ButtonDeps,
  req: IncomingMessage,
  res: ServerResponse,
  path: string,
  query: string,
): Promise<void> {
  if (refuseNoVisit(req, res)) return;
  const slash = path.indexOf('/');
  const key = slash < 0 ? path : path.slice(0, slash);
  const number = slash < 0 ? '' : path.slice(slash + 1);
  const snapshot = deps.snapshot();
  const landing = snapshot.landings.get(key);
  const address = clientAddress(req.socket.remoteAddress ?? '', header(req, 'x-forwarded-for'), deps.trusted);
  const now = deps.now();
  if (!landing) {
    if (deps.strangers.isClosed(address, now)) return refuse(res, 'too_many_tries', { 'Retry-After': '60' });
    deps.strangers.failed(address, now);
    deps.onUnknownButton(key, hostOf(req), deps.findPlace(address).country);
    return refuse(res, 'unknown_button_key');
  }
  const found = await findClicker(deps, landing, query, req.headers.cookie);
  const button = readButton(number, landing.part.body.buttons);
  const target = found && (await targetOf(deps, landing, found.visit, button));
  const url =
    target &&
    destination(
      target.link,
      target.names,
      found.visit,
      header(req, 'referer')?.slice(0, MAX_REFERRER_LENGTH),
    );
  if (!url) {
    deps.onUnknownButton(key, hostOf(req), deps.findPlace(address).country);
    const way = wayWithoutVisit(snapshot, landing);
    return way === null ? refuse(res, 'unknown_visitor') : redirect(res, way, []);
  }
  if (req.method === 'GET') {
    const click: ClickRecord = {
      deskId: landing.part.deskId,
      id: deps.newId(now),
      atMs: now,
      visitId: found.visit.id,
      ...button,
      landingId: landing.part.id,
      offerId: target.names.offer.id,
      match: found.match,
    };
    await deps.keepClick(click).then(
      () => deps.onClicked(click),
      (error: unknown) => deps.onClickUnrecorded(click, error),
    );
  }
  const sendBy = snapshot.campaignsById.get(found.visit.campaignId)?.sendBy ?? 'redirect';
  sendOn(res, sendBy, url, []);
}

/** More than this of what stands in the place of a number tells nothing. */
const MAX_TOLD = 40;

/** What is no number of a button of the page leads to the visit's offer all the same, flagged; none at all is the first. */
function readButton(text: string, buttons: number): Pick<ClickRecord, 'n' | 'told'> {
  const plain = text.replace(/\/$/, '');
  if (plain === '') return { n: 1, told: '' };
  const n = /^[1-9]\d?$/.test(plain) ? Number(plain) : 0;
  const told = cleanText(decodePercent(plain.slice(0, MAX_TOLD * 3))).slice(0, MAX_TOLD);
  return { n, told: n > 0 && n <= buttons ? '' : told };
}

interface Clicker {
  visit: TokenVisit;
  match: ClickMatch;
}

async function findClicker(
  deps: ButtonDeps,
  landing: CompiledLanding,
  query: string,
  cookies: string | undefined,
): Promise<Clicker | null> {
  const { key } = landing.part;
  const { values } = parseQuery(query);
  const clickId = parseClickId(values.get(CLICK_ID_PARAMETER) ?? '');
  if (clickId !== null) {
    const visit = await lookUp(deps, landing, clickId);
    if (visit) return { visit, match: 'link' };
    const marked = deps.handles.read(values.get(MARK_PARAMETER) ?? '', clickId, key);
    const signed = marked && signedVisit(deps.snapshot(), marked, clickId);
    if (signed) return { visit: signed, match: 'signed' };
  }
  const handles = deps.handles.readCookies(cookies);
  // Of this very visit, else the newest on this page.
  const handle = handles.find((h) => h.clickId === clickId) ?? handles.find((h) => h.landingKey === key);
  if (!handle) return null;
  const visit =
    (await lookUp(deps, landing, handle.clickId)) ?? signedVisit(deps.snapshot(), handle, handle.clickId);
  return visit ? { visit, match: 'cookie' } : null;
}

/** In memory, else in the database, as long as a visitor can wait. */
async function lookUp(
  deps: ButtonDeps,
  landing: CompiledLanding,
  clickId: string,
): Promise<TokenVisit | undefined> {
  const recent = deps.recent.get(clickId);
  if (recent) return recent.deskId === landing.part.deskId ? recent : undefined;
  return inTime(deps, deps.findVisit(landing.part.deskId, clickId));
}

/** What is asked for; undefined when nobody can say, or not as long as a visitor can wait. */
function inTime<T>(deps: Pick<ButtonDeps, 'lookUpPatienceMs'>, asked: Promise<T>): Promise<T | undefined> {
  let timer: NodeJS.Timeout | undefined;
  const patience = new Promise<undefined>((resolve) => {
    timer = setTimeout(() => resolve(undefined), deps.lookUpPatienceMs);
  });
  return Promise.race([asked.catch(() => undefined), patience]).finally(() => clearTimeout(timer));
}

/** A visit of which only what was signed is known: its campaign and pairing, and so its offer, and its click ID. */
function signedVisit(
  snapshot: Snapshot,
  { campaignKey, pairingId }: Marked,
  clickId: string,
): TokenVisit | null {
  const campaign = snapshot.campaigns.get(campaignKey);
  const found = campaign && pairingOf(campaign, pairingId);
  if (!found) return null;
  const [offer] = found.pairing.offers;
  return {
    ...UNKNOWN_VISIT,
    deskId: campaign.deskId,
    id: clickId,
    atMs: clickIdTime(clickId),
    campaignId: campaign.id,
    sourceId: campaign.source.id,
    branchId: found.branch.id,
    pairingId,
    offerId: offer!.part.id,
    networkId: offer!.network.id,
    costCurrency: campaign.costCurrency,
  };
}

/** The pairing that was drawn; the first one when it is gone. */
function pairingOf(campaign: CompiledCampaign, pairingId: string) {
  const all = campaign.branches.flatMap((branch) => branch.pairings.map((pairing) => ({ branch, pairing })));
  return all.find(({ pairing }) => pairing.id === pairingId) ?? all[0];
}

const UNKNOWN_VISIT: TokenVisit = { ...unknownVisit, userAgent: '' };

/** The offer of the button, else that of the visit, as it stands now; that of its pairing when that one is gone. */
async function targetOf(
  deps: ButtonDeps,
  landing: CompiledLanding,
  visit: TokenVisit,
  button: Pick<ClickRecord, 'n' | 'told'>,
): Promise<{ link: CompiledLink; names: PartNames } | null> {
  const snapshot = deps.snapshot();
  const campaign = snapshot.campaignsById.get(visit.campaignId);
  if (!campaign || campaign.deskId !== landing.part.deskId) return null;
  const to = await ofOwnButton(deps, campaign, visit, button);
  if (to?.address) return { link: to.address, names: namesOf(campaign, null, landing) };
  const offer =
    to?.offer ??
    snapshot.offers.get(visit.offerId) ??
    pairingOf(campaign, visit.pairingId)?.pairing.offers[0];
  return offer ? { link: offer.link, names: namesOf(campaign, offer, landing) } : null;
}

/** Where a button that has an offer of its own leads; null where the visit's offer is meant. */
async function ofOwnButton(
  deps: ButtonDeps,
  campaign: CompiledCampaign,
  visit: TokenVisit,
  { n, told }: Pick<ClickRecord, 'n' | 'told'>,
): Promise<Destination | null> {
  if (told !== '' || n === 0) return null;
  const snapshot = deps.snapshot();
  const offers = await offersOfVisit(deps, campaign, visit);
  // A visit that was sent to a fallback offer keeps it: its pairing took nobody.
  if (offers.length < 2 || !offers.some((o) => o?.part.id === visit.offerId)) return null;
  const offer = ofButton(offers, n);
  return offer && onwardFrom(offer, snapshot, deps.now(), closedTo(deps, visit));
}

/** The offers of the visit's pairing by button: as they are now, or as they were where the pairing is gone. */
async function offersOfVisit(
  deps: ButtonDeps,
  campaign: CompiledCampaign,
  visit: TokenVisit,
): Promise<readonly (CompiledOffer | null)[]> {
  const here = campaign.branches.flatMap((b) => b.pairings).find((p) => p.id === visit.pairingId);
  if (here) return here.offers;
  const ids = (await inTime(deps, deps.findOffers(visit))) ?? [];
  const { offers } = deps.snapshot();
  // One that is gone keeps its place, so that the buttons after it keep their offers.
  return ids.map((id) => offers.get(id) ?? null);
}

/** The page's own fallback, else the offer to which all campaigns with this page lead. */
function wayWithoutVisit(snapshot: Snapshot, landing: CompiledLanding): string | null {
  const users = [...snapshot.campaigns.values()]
    .filter((c) => c.sending)
    .flatMap((campaign) =>
      campaign.branches
        .flatMap((b) => b.pairings)
        .filter((p) => p.landing?.part.id === landing.part.id)
        .flatMap((p) => p.offers.map((offer) => ({ campaign, offer }))),
    );
  const [user] = users;
  const { fallback } = landing;
  if (!user) return fallback?.template.names.length === 0 ? asLocation(fallback.template.text) : null;
  const names = namesOf(user.campaign, user.offer, landing);
  if (fallback) return destination(fallback, names, UNKNOWN_VISIT);
  if (users.some(({ offer }) => offer.part.id !== user.offer.part.id)) return null;
  return destination(user.offer.link, names, UNKNOWN_VISIT);
}
