/** What really travelled with one visit, hop by hop: names and values as they were, with their times. */
import type { PartBodies } from '../contract/parts.ts';
import { wholeBody, type PartKind } from '../contract/parts.ts';
import type { VisitTrail } from '../contract/setup.ts';
import { linkParameters, wireName } from '../links/compose.ts';
import { parseQuery } from '../links/query.ts';
import { configuredTrail, type TrailPlace } from './configured.ts';
import type { Hop, Lack } from './hops.ts';

/** When a hop happened, and the raw request behind it; empty where it has not happened. */
export interface TravelledHop extends Hop {
  at: string;
  raw: string;
}

const bodyOf = <K extends PartKind>(kind: K, part: { body: unknown } | null): PartBodies[K] | undefined =>
  part === null ? undefined : wholeBody(kind, part.body);

export function travelledTrail(trail: VisitTrail, place: TrailPlace): TravelledHop[] {
  const { visit, parts } = trail;
  const source = bodyOf('source', parts.source)!;
  const configured = configuredTrail(
    {
      source,
      network: bodyOf('network', parts.network),
      offer: bodyOf('offer', parts.offer),
      page: bodyOf('landing-page', parts.page) ?? null,
      campaign: bodyOf('campaign', parts.campaign),
    },
    { ...place, country: '' },
  );
  const click = source.parameters.find((p) => p.role === 'click_id');
  return configured.map((h): TravelledHop => {
    const happened = { ...h, lacks: [] as Lack[], at: '', raw: '', seen: '' };
    switch (h.key) {
      case 'source_to_us':
        return sentBySource(happened, trail, click?.parameter ?? '');
      case 'us_to_page':
        return {
          ...happened,
          state: 'known',
          carries: valuesIn(trail.pageUrl, visit.id),
          at: visit.at,
          raw: trail.pageUrl,
        };
      case 'page_to_us':
        return pressed(happened, trail);
      case 'us_to_offer':
        return sentToOffer(happened, trail);
      case 'network_to_us':
        return calledBack(happened, trail, bodyOf('network', parts.network)!);
      case 'us_to_source':
        return told(happened, trail, source);
    }
  });
}

const lack = (code: Lack['code'], at: PartKind, sentence: string): Lack => ({
  code,
  at,
  sentence,
  breaks: true,
});

/** Parameters of an address that carry a value that matters here. */
const valuesIn = (url: string, ...values: string[]): Hop['carries'] =>
  linkParameters(url).filter((p) => values.some((v) => v !== '' && decode(p.value).includes(v)));
function decode(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

function sentBySource(h: TravelledHop, { visit, parts }: VisitTrail, parameter: string): TravelledHop {
  const raw = parseQuery(visit.rawQuery).raw.get(parameter) ?? '';
  const unfilled = visit.notes.filter((n) => n.startsWith('unsubstituted:')).map((n) => n.slice(14));
  const lacks = unfilled.map((p) => lack('seen_unfilled', 'source', `The macro of “${p}” arrived unfilled.`));
  if (visit.sourceClickId === '' && h.carries.length > 0 && !unfilled.includes(parameter))
    lacks.push(
      lack(
        'seen_missing',
        'source',
        `“${parameter}” is empty or missing, so Tracheon can’t report this click to the source.`,
      ),
    );
  return {
    ...h,
    from: { ...h.from, name: parts.source.body.name },
    carries: parameter === '' ? [] : [{ name: parameter, value: visit.sourceClickId || raw || '(empty)' }],
    state: lacks.length > 0 ? 'missing' : 'known',
    lacks,
    at: visit.at,
    raw: visit.rawQuery,
  };
}

function pressed(h: TravelledHop, { visit }: VisitTrail): TravelledHop {
  const [first] = visit.buttonClicks;
  if (!first) return { ...h, state: 'waiting', carries: [], seen: 'no button clicked' };
  const by = { link: 'by the link', cookie: 'by the cookie', signed: 'by the signature in the link' };
  return {
    ...h,
    state: 'known',
    carries: [{ name: first.n === 0 ? `button “${first.told}”` : `button ${first.n}`, value: visit.id }],
    at: first.at,
    seen: `${first.told === '' ? '' : 'not a button of the page; '}matched ${by[first.match]}${visit.buttonClicks.length > 1 ? `, pressed ${visit.buttonClicks.length} times` : ''}`,
  };
}

function sentToOffer(h: TravelledHop, { visit, offerUrl, parts }: VisitTrail): TravelledHop {
  if (!parts.offer)
    return {
      ...h,
      state: 'missing',
      lacks: [lack('seen_missing', 'campaign', 'This visit was not sent to an offer.')],
    };
  const at = parts.page ? (visit.buttonClicks[0]?.at ?? '') : visit.at;
  if (at === '') return { ...h, state: 'waiting', carries: [], seen: 'not yet: no button clicked' };
  const carries = valuesIn(offerUrl, visit.id);
  const lacks =
    carries.length === 0 && !offerUrl.includes(visit.id)
      ? [lack('no_click_id', 'offer', 'The outgoing link had no click ID, so no conversion can be matched.')]
      : [];
  return { ...h, state: lacks.length > 0 ? 'missing' : 'known', carries, lacks, at, raw: offerUrl };
}

function calledBack(h: TravelledHop, trail: VisitTrail, network: PartBodies['network']): TravelledHop {
  const call = trail.postbacksIn.find((c) => c.conversionId !== '') ?? trail.postbacksIn[0];
  if (!call) return { ...h, state: 'waiting', carries: [], seen: 'no postback received' };
  const query = parseQuery(call.method === 'GET' || call.body === '' ? call.rawQuery : call.body);
  const carries = (['click_id', 'transaction', 'payout', 'status'] as const)
    .map((f) => ({ name: wireName(network, f), value: query.values.get(wireName(network, f)) ?? '' }))
    .filter((c) => c.value !== '');
  const [conversion] = trail.conversions;
  const isKept = call.outcome === 'repair' || call.outcome === 'held';
  return {
    ...h,
    state: isKept ? 'missing' : 'known',
    carries,
    lacks: isKept ? [lack('seen_unmatched', 'network', call.sentence)] : [],
    at: call.receivedAt,
    raw: [call.rawQuery, call.body].filter(Boolean).join('\n'),
    seen: [
      conversion ? conversion.status : '',
      trail.postbacksIn.length > 1 ? `${trail.postbacksIn.length} postbacks` : call.sentence,
    ]
      .filter(Boolean)
      .join(' · '),
  };
}

function told(
  h: TravelledHop,
  { postbacksOut, visit, conversions }: VisitTrail,
  source: PartBodies['source'],
): TravelledHop {
  const last = postbacksOut.at(-1);
  if (!last)
    return {
      ...h,
      state: 'waiting',
      carries: [],
      seen: whyNotTold(visit, conversions, source),
    };
  const attempt = last.attempts.at(-1);
  const isGiven = last.state === 'gave_up';
  return {
    ...h,
    state: isGiven ? 'missing' : last.state === 'waiting' || last.state === 'on_page' ? 'waiting' : 'known',
    carries: valuesIn(last.url, visit.sourceClickId),
    lacks: isGiven
      ? [lack('seen_refused', 'source', `Tracheon gave up. The last answer: ${attempt?.result ?? 'none'}.`)]
      : [],
    at: attempt?.at ?? last.createdAt,
    raw: last.url,
    seen: attempt ? `answered ${attempt.httpStatus ?? attempt.result}` : 'waiting to be sent',
  };
}

function whyNotTold(
  visit: VisitTrail['visit'],
  conversions: VisitTrail['conversions'],
  { reportStatuses, postbackUrl, accounts }: PartBodies['source'],
): string {
  const [first] = conversions;
  if (postbackUrl === '' && accounts.every((a) => a.postbackUrl === '')) return 'takes no postback';
  if (!first) return 'no postback due yet';
  if (visit.isTest) return 'not reported: this is a test without a postback to the source';
  if (!reportStatuses.includes(first.status))
    return `not reported yet: it is ${first.status}, and the source gets postbacks for ${reportStatuses.join(', ') || 'no status'}`;
  return 'not reported because of its event type or the reported share';
}
