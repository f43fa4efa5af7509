/** What was seen of a campaign in the last 24 hours, put beside what is configured, hop by hop. */
import type { CampaignLive } from '../contract/setup.ts';
import type { VisitKind } from '../contract/visitRows.ts';
import type { Hop, HopKey, Lack } from './hops.ts';

/** Below this many, a share says nothing. */
const FEW = 20;

type Found = Omit<Lack, 'breaks'>;
interface Seen {
  seen: string;
  to_requests: string;
  lacks: Found[];
}

export function withSeen(hops: readonly Hop[], live: CampaignLive, campaignId: string): Hop[] {
  return hops.map((h) => {
    const { seen, to_requests, lacks } = seenOf(h.key, live, campaignId);
    const all = [...h.lacks, ...lacks.map((l) => ({ ...l, breaks: true }))];
    return { ...h, seen, to_requests, lacks: all, state: lacks.length > 0 ? 'missing' : h.state };
  });
}

function seenOf(key: HopKey, live: CampaignLive, campaignId: string): Seen {
  // The very visits that are counted here.
  const visits = (kind: VisitKind): string => `/campaigns/${campaignId}/visits?kind=${kind}&hours=24`;
  switch (key) {
    case 'source_to_us':
      return seenFromSource(live, visits);
    case 'us_to_page':
      return {
        seen: live.toPage === 0 ? 'no visitor yet' : `${count(live.toPage)} to the page`,
        to_requests: visits('to_page'),
        lacks: [],
      };
    case 'page_to_us':
      return seenButtons(live, visits('clicked'));
    case 'us_to_offer':
      return {
        seen: sentOn(live),
        to_requests: visits(live.toOffer === 0 && live.fallback > 0 ? 'fallback' : 'to_offer'),
        lacks: [],
      };
    case 'network_to_us':
      return seenPostback(live, campaignId);
    case 'us_to_source':
      return seenTold(live, campaignId);
  }
}

function seenFromSource(live: CampaignLive, visits: (kind: VisitKind) => string): Seen {
  const lacks: Found[] = live.unsubstituted.map((u) => ({
    code: 'seen_unfilled',
    at: 'source',
    sentence: `“${u.parameter}” had an unfilled macro in ${plural(u.count, 'visit')}, last: ${u.rawQuery.slice(0, 120)}`,
  }));
  if (live.visits >= FEW && live.withSourceClickId === 0)
    lacks.push({
      code: 'seen_missing',
      at: 'source',
      sentence: `None of ${count(live.visits)} visits has a source click ID.`,
    });
  const seen =
    live.visits === 0
      ? live.tests > 0
        ? `only ${plural(live.tests, 'test')} so far`
        : 'no visit yet'
      : `${share(live.withSourceClickId, live.visits)} of ${plural(live.visits, 'visit')}`;
  const kind =
    live.unsubstituted.length > 0
      ? 'unfilled'
      : live.withSourceClickId < live.visits
        ? 'without_click_id'
        : 'counted';
  return { seen, to_requests: visits(live.visits === 0 && live.tests > 0 ? 'test' : kind), lacks };
}

function sentOn({ toOffer, fallback }: CampaignLive): string {
  if (toOffer === 0 && fallback === 0) return 'no visitor yet';
  const sent = `${count(toOffer)} sent to the offer`;
  return fallback === 0 ? sent : `${sent} · ${count(fallback)} to the fallback`;
}

function seenButtons(live: CampaignLive, visits: string): Seen {
  const lacks: Found[] = [];
  if (live.toPage >= FEW && live.buttons.length === 0)
    lacks.push({
      code: 'seen_missing',
      at: 'landing-page',
      sentence: `${count(live.toPage)} visitors reached the page, but nobody clicked a button. Check the button link on the page.`,
    });
  const words = live.buttons.map(
    (b) => `button ${b.n}: ${count(b.visits)} (${share(b.visits, live.toPage)})`,
  );
  return { seen: words.join(' · ') || 'no click yet', to_requests: visits, lacks };
}

function seenPostback(live: CampaignLive, campaignId: string): Seen {
  const lacks: Found[] = [];
  if (live.unmatched > 0 && live.lastUnmatched)
    lacks.push({
      code: 'seen_unmatched',
      at: 'network',
      sentence: `${plural(live.unmatched, 'postback')} of this network matched no visit. The last one: ${live.lastUnmatched.sentence}`,
    });
  const all = live.postbacks + live.unmatched;
  const seen =
    all === 0
      ? 'no postback in the last 24 h'
      : live.unmatched === 0
        ? `${plural(live.postbacks, 'postback')}, all matched`
        : `${live.postbacks} of ${plural(all, 'postback')} matched`;
  return {
    seen,
    to_requests:
      live.unmatched > 0 ? '/conversions/needs-repair' : `/conversions/postbacks-in?campaign=${campaignId}`,
    lacks,
  };
}

function seenTold(live: CampaignLive, campaignId: string): Seen {
  const lacks: Found[] = [];
  if (live.gaveUp > 0 && live.lastPostbackOut)
    lacks.push({
      code: 'seen_refused',
      at: 'source',
      sentence: `${plural(live.gaveUp, 'postback')} to the source failed for good. The last answer: ${live.lastPostbackOut.result || 'none'}.`,
    });
  const all = live.delivered + live.waiting + live.gaveUp;
  const seen =
    all === 0
      ? 'no postback sent in the last 24 h'
      : `${live.delivered} of ${plural(all, 'postback')} answered${live.waiting > 0 ? `, ${live.waiting} waiting` : ''}`;
  return {
    seen,
    to_requests: `/conversions/postbacks-out?campaign=${campaignId}${live.gaveUp > 0 ? '&kind=gave_up' : ''}`,
    lacks,
  };
}

/** Thousands apart, as everywhere on screen. */
const count = (n: number): string => String(n).replace(/\B(?=(\d{3})+(?!\d))/g, '\u202f');
const plural = (n: number, word: string): string => `${count(n)} ${word}${n === 1 ? '' : 's'}`;
const share = (part: number, whole: number): string =>
  whole === 0 ? '–' : `${part === whole ? '100' : ((100 * part) / whole).toFixed(1)} %`;
