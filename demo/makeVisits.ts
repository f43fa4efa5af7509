/** Visits of the demo desk: the rows that the capture path would have written, from a seeded generator. */
import { makeUlid } from '@tracheon/core/identity';
import { OTHERWISE } from '@tracheon/core/routing';
import { unknownVisit } from '@tracheon/core/visits';
import { parseAmount } from '@tracheon/core/money';
import { addressPrefix } from '@tracheon/server/addresses/addresses.ts';
import { nowhere, readAgent } from '@tracheon/server/capture/visitor.ts';
import type { ClickRecord, VisitRecord } from '@tracheon/server/events/rows.ts';
import { agents, makeVisitor } from '@tracheon/practice/adNetwork/visitors.ts';
import { weighted, type Random } from '@tracheon/practice/habits/random.ts';
import { BOT_SHARE, HOURS, priceText, sites, WEEK } from '@tracheon/practice/habits/traffic.ts';
import { keywords, type CampaignPlan, type DemoWay } from './plans.ts';

const DAY_MS = 86_400_000;
const REPEAT_SHARE = 0.02;
export interface CampaignIds {
  deskId: string;
  campaignId: string;
  sourceId: string;
}
/** Where visitors go, with the records on the way. */
export interface MadeWay extends DemoWay {
  ids: WayIds;
}
interface WayIds {
  offerId: string;
  networkId: string;
  /** Empty for a direct link. */
  landingId: string;
  landingVersion: number;
}
export interface DemoVisit {
  row: VisitRecord;
  /** Chance that this very visit converts. */
  odds: number;
  /** Clicks on the page's buttons; none on a direct link. */
  clicks: ClickRecord[];
}

export function makeVisits(
  plan: CampaignPlan,
  ids: CampaignIds,
  ways: readonly MadeWay[],
  nowMs: number,
  random: Random,
  share: number,
): DemoVisit[] {
  const visits: DemoVisit[] = [];
  const today = Math.floor(nowMs / DAY_MS) * DAY_MS;
  for (let back = plan.since; back >= 0; back--) {
    const day = today - back * DAY_MS;
    const wanted = share * plan.perDay * WEEK[new Date(day).getUTCDay()]! * (0.88 + random() * 0.24);
    for (let i = 0; i < wanted; i++) {
      const at = day + weighted(random, HOURS) * 3_600_000 + Math.floor(random() * 3_600_000);
      if (at >= nowMs - 60_000) continue;
      const way =
        ways.length === 1
          ? ways[0]!
          : weighted(
              random,
              ways.map((w) => [w, w.weight] as const),
            );
      const visit = makeVisit(plan, ids, way, at, random);
      if (back === plan.brokenPriceDay) loseThePrice(visit.row);
      if (plan.diedDay !== undefined && back <= plan.diedDay) visit.odds = 0;
      if (way.page) clickOrLeave(visit, way.page, nowMs, random);
      visits.push(visit);
    }
  }
  return visits.sort((a, b) => a.row.atMs - b.row.atMs);
}

/** Some click on, a few of them twice; only who did can buy. */
function clickOrLeave(
  visit: DemoVisit,
  { ctr, vanishedHours = 0 }: NonNullable<CampaignPlan['page']>,
  nowMs: number,
  random: Random,
): void {
  const { row, odds } = visit;
  const at = row.atMs + 4000 + Math.floor(random() * 70_000);
  const there = vanishedHours === 0 || at < nowMs - vanishedHours * 3_600_000;
  const clicks = there && at < nowMs - 1000 && random() < ctr && !row.isBot;
  visit.odds = clicks ? Math.min(1, odds / ctr) : 0;
  if (!clicks) return;
  const n = random() < 0.7 ? 1 : 2;
  const times = random() < 0.04 && at + 2000 < nowMs ? [at, at + 2000] : [at];
  visit.clicks = times.map((ms) => ({
    deskId: row.deskId,
    id: demoUlid(ms, random),
    atMs: ms,
    visitId: row.id,
    n,
    landingId: row.landingId,
    offerId: row.offerId,
    told: '',
    match: random() < 0.93 ? 'link' : 'cookie',
  }));
}

const demoUlid = (at: number, random: Random): string =>
  makeUlid(
    at,
    Array.from({ length: 16 }, () => Math.floor(random() * 32)),
  );

/** The source sent its macro instead of the price: the cost is not known. */
function loseThePrice(row: VisitRecord): void {
  if (row.isRepeat) return;
  row.costMicros = null;
  row.notes = ['unsubstituted:cpm', 'no_cost'];
  row.rawQuery += '&cpm=%24%7BCPM%7D';
}

function makeVisit(
  plan: CampaignPlan,
  ids: CampaignIds,
  way: MadeWay,
  at: number,
  random: Random,
): DemoVisit {
  const id = demoUlid(at, random);
  const device = weighted(random, plan.devices);
  const person = makeVisitor({ countries: [plan.country], devices: [device], bots: BOT_SHARE }, random);
  const [site, , quality] = weighted(
    random,
    sites.map((s) => [s, s[1]] as const),
  );
  const isRepeat = random() < REPEAT_SHARE;
  const told = tell(plan, site, random);
  const row: VisitRecord = {
    ...unknownVisit,
    ...ids,
    ...way.ids,
    id,
    atMs: at,
    campaignVersion: 1,
    fate: 'sent',
    branchId: OTHERWISE,
    pairingId: way.id,
    offerVersion: 1,
    ...nowhere,
    country: person.country,
    language: person.language.slice(0, 2),
    ...readAgent(person.isBot ? agents.bot! : person.agent),
    isBot: person.isBot,
    referrerHost: plan.source === 'quayside' ? 'quayside.example' : site,
    isRepeat,
    isUnique: !isRepeat && random() < 0.9,
    isTest: false,
    guessed: true,
    visitorHash: '',
    costMicros: isRepeat ? 0n : costOf(plan, told.price),
    costCurrency: plan.cost.costCurrency,
    sourceClickId: `${plan.source.slice(0, 2)}${id.slice(12).toLowerCase()}`,
    subs: told.subs,
    notes: [],
    rawQuery: '',
    addressPrefix: addressPrefix(person.address),
    address: person.address,
    userAgent: person.isBot ? agents.bot! : person.agent,
  };
  row.rawQuery = new URLSearchParams({ click: row.sourceClickId, ...told.subs }).toString();
  return {
    row,
    clicks: [],
    odds: person.isBot || isRepeat ? 0 : way.factor * plan.cr * (plan.source === 'quayside' ? 1 : quality),
  };
}

function tell(
  plan: CampaignPlan,
  site: string,
  random: Random,
): { subs: Record<string, string>; price: string } {
  const price = priceText(plan.price, random);
  if (plan.source === 'quayside')
    return {
      subs: {
        keyword: keywords[Math.floor(random() * keywords.length)]!,
        ad: `q${1 + Math.floor(random() * 3)}`,
      },
      price,
    };
  const zone = String(1000 + site.length * 7);
  if (plan.source === 'tidepool')
    return { subs: { site, title: `Grow a jungle in a jar ${1 + Math.floor(random() * 3)}` }, price };
  return {
    subs: { site, zone, ...(plan.source === 'moorhen' ? { ad: `ad-${1 + Math.floor(random() * 4)}` } : {}) },
    price,
  };
}

function costOf(plan: CampaignPlan, price: string): bigint | null {
  if (plan.cost.costModel === 'visit') return BigInt(plan.cost.costMicros);
  const parsed = parseAmount(price, '.');
  if (!parsed.ok) return null;
  return plan.source === 'tidepool' ? parsed.micros / 1000n : parsed.micros;
}
