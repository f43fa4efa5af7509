import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { findingCodes, type FindingCode } from '../links/index.ts';
import {
  landingPageInput,
  networkInput,
  offerInput,
  sourceInput,
  type CampaignLive,
  type PageCheck,
} from '../contract/index.ts';
import { checklist, configuredTrail, withSeen, type HopKey, type TrailParts } from './index.ts';

const source = sourceInput.parse({
  name: 'Moorhen Push',
  macroStyle: '[x]',
  parameters: [
    { parameter: 'clk', macro: '[click]', role: 'click_id' },
    { parameter: 'site', macro: '[site]', role: 'sub', sub: 'site' },
  ],
  postbackUrl: 'https://ads.moorhen.example/p?uid={source_click_id}&sum={payout}&cur={payout_currency}',
});
const network = networkInput.parse({
  name: 'Larkspur CPA',
  clickIdParameter: 'aff_ref',
  macroStyle: '#x#',
  fields: { click_id: { macro: '#ref#' }, payout: { macro: '#amt#' }, status: { macro: '#st#' } },
});
const offer = offerInput.parse({
  name: 'Skylark trial',
  networkId: 'n',
  link: 'https://go.larkspur.example/o/1?aff_ref={click_id}&site={sub_site}',
  countries: ['BE'],
});
const page = landingPageInput.parse({ name: 'Star quiz', url: 'https://kits.example/quiz', buttons: 2 });
const campaign = { costModel: 'none' as const, costCurrency: 'EUR', account: '' };
const place = {
  origin: 'https://go.kits.example',
  ownOrigins: ['https://go.kits.example'],
  deskCurrency: 'EUR',
};
const whole: TrailParts = { source, network, offer, page, campaign };
const looked = (buttons: PageCheck['buttons']): PageCheck => ({
  at: '2026-11-25T10:00:00Z',
  trouble: 'ok',
  sentence: '',
  finalUrl: page.url,
  status: 200,
  secure: true,
  tookMs: 1,
  bytes: 1,
  buttons,
  script: true,
  strays: [],
});

const link = (text: string): TrailParts => ({ ...whole, page: null, offer: { ...offer, link: text } });
const told = (text: string): TrailParts => ({ ...whole, source: { ...source, postbackUrl: text } });
const sends = (macro: string, more: object = {}): TrailParts => ({
  ...whole,
  source: { ...source, parameters: [{ ...source.parameters[0]!, macro }, source.parameters[1]!], ...more },
});
const calls = (fields: object): TrailParts => ({
  ...whole,
  network: { ...network, fields: { ...network.fields, ...fields } },
});
const LINK = 'https://go.larkspur.example/o/1';
const without = { ...network, clickIdParameter: '' };

/** One chain broken on purpose for each kind of finding, and the hop that has to name it. */
const broken: Record<FindingCode, [HopKey, TrailParts]> = {
  no_click_id: ['us_to_offer', { ...link(LINK), network: without }],
  no_source_click_id: ['us_to_source', told('https://ads.moorhen.example/p?sum={payout}')],
  click_id_twice: ['us_to_offer', link(`${LINK}?aff_ref={click_id}&b={click_id}`)],
  click_id_place_taken: ['us_to_offer', link(`${LINK}?aff_ref=902`)],
  looks_like_click_id: ['us_to_offer', { ...link(`${LINK}?subid=REPLACE_ME`), network: without }],
  foreign_macro: ['us_to_offer', link(`${LINK}?aff_ref={click_id}&z=[zone]`)],
  our_token: ['source_to_us', sends('{click_id}')],
  unknown_token: ['us_to_offer', link(`${LINK}?aff_ref={click_id}&z={sourc_name}`)],
  wrong_style: ['source_to_us', sends('%click%')],
  encoded_placeholder: ['us_to_offer', link(`${LINK}?aff_ref={click_id}&z=%7Bsub_site%7D`)],
  space_in_token: ['us_to_offer', link(`${LINK}?aff_ref={click_id}&z={ sub_site }`)],
  bad_braces: ['us_to_offer', link(`${LINK}?aff_ref={click_id}&z={sub_site`)],
  white_space: ['us_to_offer', link(`${LINK}?aff_ref={click_id}&z= {sub_site}`)],
  parameter_twice: ['us_to_offer', link(`${LINK}?aff_ref={click_id}&z=1&z=2`)],
  second_question_mark: ['us_to_offer', link(`${LINK}?aff_ref={click_id}?z=1`)],
  empty_parameter: ['us_to_offer', link(`${LINK}?aff_ref={click_id}&&z=1`)],
  missing_equals: ['us_to_offer', link(`${LINK}?aff_ref={click_id}&z`)],
  fragment_before_query: ['us_to_offer', { ...link(`${LINK}#top?aff_ref={click_id}`), network: without }],
  not_absolute: ['us_to_offer', link('go.larkspur.example/o/1')],
  not_http: ['us_to_offer', link('ftp://go.larkspur.example/o/1')],
  credentials: ['us_to_offer', link('https://me:pw@go.larkspur.example/o/1')],
  host_not_literal: ['us_to_offer', link('https://{country}.larkspur.example/o/1')],
  own_domain: ['us_to_offer', link('https://go.kits.example/v/abc')],
  http_after_https: ['us_to_offer', link('http://go.larkspur.example/o/1?aff_ref={click_id}')],
  too_long: ['us_to_offer', link(`${LINK}?aff_ref={click_id}&z=${'a'.repeat(2100)}`)],
  unencoded_value: ['us_to_offer', link('https://go.larkspur.example/{+sub_site}?aff_ref={click_id}')],
  currency_differs: [
    'us_to_source',
    {
      ...told('https://ads.moorhen.example/p?u={source_click_id}&s={payout}'),
      offer: { ...offer, currency: 'USD' },
    },
  ],
  no_payout_macro: ['network_to_us', calls({ payout: { macro: '', parameter: '' } })],
  sample_value: ['us_to_offer', link(`${LINK}?aff_ref=YOUR_CLICK_ID`)],
  demanded_missing: [
    'us_to_offer',
    {
      ...whole,
      network: { ...network, subParameters: [{ parameter: 'lic', limit: 0, token: '', demanded: true }] },
    },
  ],
  cut_token: ['us_to_offer', { ...link(`${LINK}?aff_ref={click_id:10}`), network: without }],
  cut_too_short: ['us_to_offer', { ...whole, network: { ...network, clickIdLimit: 20 } }],
  demanded_not_fed: [
    'us_to_offer',
    {
      ...whole,
      network: {
        ...network,
        subParameters: [{ parameter: 'ti', limit: 0, token: 'sub_title', demanded: true }],
      },
    },
  ],
  country_not_open: ['us_to_offer', whole],
  button_missing: [
    'page_to_us',
    { ...whole, pageCheck: looked([{ n: 1, found: 0, baked: false, secure: true }]) },
  ],
};

describe('the configured trail', () => {
  it('goes out by the page and back, in the order of the way', () => {
    expect(configuredTrail(whole, place).map((h) => h.key)).toEqual([
      'source_to_us',
      'us_to_page',
      'page_to_us',
      'us_to_offer',
      'network_to_us',
      'us_to_source',
    ]);
    expect(configuredTrail({ ...whole, page: null }, place).map((h) => h.key)).toEqual([
      'source_to_us',
      'us_to_offer',
      'network_to_us',
      'us_to_source',
    ]);
  });

  it('carries the ID by the names of each side, and nothing is wrong with a whole chain', () => {
    const hops = configuredTrail({ ...whole, pageCheck: looked([]) }, place);
    expect(hops.map((h) => h.carries[0])).toEqual([
      { name: 'clk', value: '[click]' },
      { name: 'click_id', value: '{click_id}' },
      { name: 'click_id', value: 'by link or cookie' },
      { name: 'aff_ref', value: '{click_id}' },
      { name: 'click_id', value: '#ref#' },
      { name: 'uid', value: '{source_click_id}' },
    ]);
    expect(hops.flatMap((h) => h.lacks)).toEqual([]);
    expect(new Set(hops.map((h) => h.state))).toEqual(new Set(['known']));
  });

  it.each(findingCodes.map((code) => [code, ...broken[code]] as const))(
    'names the hop that is broken: %s',
    (code, key, parts) => {
      const hops = configuredTrail(parts, { ...place, country: code === 'country_not_open' ? 'PT' : '' });
      const named = hops.filter((h) => h.lacks.some((l) => l.code === code));
      expect([code, named.map((h) => h.key)]).toEqual([code, [key]]);
      expect(named[0]!.lacks.find((l) => l.code === code)!.sentence.length).toBeGreaterThan(10);
    },
  );

  it('waits where nothing is chosen yet, whatever is there already', () => {
    const some = fc.record(
      {
        source: fc.constant(source),
        network: fc.constant(network),
        offer: fc.constantFrom(offer, { ...offer, link: '' }),
        page: fc.constantFrom(page, null),
        campaign: fc.constant(campaign),
      },
      { requiredKeys: [] },
    );
    fc.assert(
      fc.property(some, (parts) => {
        const hops = configuredTrail(parts as TrailParts, place);
        expect(hops.some((h) => h.state === 'missing')).toBe(false);
        const state = (key: HopKey) => hops.find((h) => h.key === key)!.state;
        expect(state('source_to_us')).toBe(parts.source ? 'known' : 'waiting');
        expect(state('network_to_us')).toBe(parts.network ? 'known' : 'waiting');
      }),
    );
  });

  it('breaks the wire where the ID does not get across, and only there', () => {
    const states = (parts: TrailParts) =>
      configuredTrail(parts, place).flatMap((h) => (h.state === 'missing' ? [h.key] : []));
    expect(states(broken.no_click_id[1])).toEqual(['us_to_offer']);
    expect(states(broken.no_source_click_id[1])).toEqual(['us_to_source']);
    expect(states(broken.button_missing[1])).toEqual(['page_to_us']);
    expect(states(broken.http_after_https[1])).toEqual([]);
    expect(states(sends(''))).toEqual(['source_to_us']);
    expect(states(calls({ click_id: { macro: '', parameter: '' } }))).toEqual(['network_to_us']);
  });

  it('asks nothing of a source that takes no postback', () => {
    const last = configuredTrail({ ...whole, source: { ...source, postbackUrl: '' } }, place).at(-1)!;
    expect([last.state, last.to.says, last.lacks]).toEqual(['known', 'takes no postback', []]);
  });
});

const nothing: CampaignLive = {
  since: '2026-11-24T10:00:00Z',
  visits: 0,
  tests: 0,
  withSourceClickId: 0,
  lastVisit: null,
  unsubstituted: [],
  toPage: 0,
  buttons: [],
  lastClick: null,
  toOffer: 0,
  fallback: 0,
  postbacks: 0,
  lastPostback: null,
  unmatched: 0,
  lastUnmatched: null,
  conversions: 0,
  lastConversion: null,
  delivered: 0,
  waiting: 0,
  gaveUp: 0,
  lastPostbackOut: null,
};
const ID = '01KAVB5T9C7QK2M8W3XJ4RZ6ND';
const AT = '2026-11-25T09:30:00Z';

describe('what was seen of it', () => {
  const seen = (live: Partial<CampaignLive>) =>
    new Map(
      withSeen(configuredTrail(whole, place), { ...nothing, ...live }, 'c').map((h) => [h.key, h] as const),
    );

  it('is told hop by hop, with shares', () => {
    const hops = seen({
      visits: 12_327,
      withSourceClickId: 12_253,
      toPage: 12_000,
      buttons: [{ n: 1, visits: 3000 }],
      toOffer: 3000,
      postbacks: 81,
      delivered: 75,
      waiting: 1,
    });
    expect(hops.get('source_to_us')!.seen).toBe('99.4 % of 12\u202f327 visits');
    expect(hops.get('page_to_us')!.seen).toBe('button 1: 3\u202f000 (25.0 %)');
    expect(hops.get('us_to_offer')!.seen).toBe('3\u202f000 sent to the offer');
    expect(hops.get('network_to_us')!.seen).toBe('81 postbacks, all matched');
    expect(hops.get('us_to_source')!.seen).toBe('75 of 76 postbacks answered, 1 waiting');
    expect([...hops.values()].every((h) => h.state !== 'missing')).toBe(true);
  });

  it('breaks the hop at which something stopped', () => {
    const call = { id: ID, at: AT, rawQuery: 'a=b', clickId: '', sentence: 'No click ID came with it.' };
    const hops = seen({
      visits: 40,
      unsubstituted: [{ parameter: 'clk', count: 40, clickId: ID, rawQuery: 'clk=[click]' }],
      toPage: 40,
      unmatched: 5,
      lastUnmatched: call,
      gaveUp: 1,
      lastPostbackOut: {
        id: ID,
        at: AT,
        conversionId: ID,
        url: 'https://x.example',
        state: 'gave_up',
        result: 'answered 404',
        httpStatus: 404,
      },
    });
    const said = (key: HopKey) => [hops.get(key)!.state, hops.get(key)!.lacks.map((l) => l.code)];
    expect(said('source_to_us')).toEqual(['missing', ['seen_unfilled', 'seen_missing']]);
    expect(said('page_to_us')).toEqual(['missing', ['seen_missing']]);
    expect(said('network_to_us')).toEqual(['missing', ['seen_unmatched']]);
    expect(said('us_to_source')).toEqual(['missing', ['seen_refused']]);
    expect(hops.get('network_to_us')!.to_requests).toBe('/conversions/needs-repair');
  });

  it('leads from a share to the very requests that it counts', () => {
    const links = (live: Partial<CampaignLive>): Record<string, string> =>
      Object.fromEntries([...seen(live)].map(([key, hop]) => [key, hop.to_requests]));
    expect(links({ visits: 30, withSourceClickId: 20, toPage: 30, postbacks: 2, delivered: 2 })).toEqual({
      source_to_us: '/campaigns/c/visits?kind=without_click_id&hours=24',
      us_to_page: '/campaigns/c/visits?kind=to_page&hours=24',
      page_to_us: '/campaigns/c/visits?kind=clicked&hours=24',
      us_to_offer: '/campaigns/c/visits?kind=to_offer&hours=24',
      network_to_us: '/conversions/postbacks-in?campaign=c',
      us_to_source: '/conversions/postbacks-out?campaign=c',
    });
    expect(links({ tests: 1 }).source_to_us).toBe('/campaigns/c/visits?kind=test&hours=24');
    expect(links({ gaveUp: 1 }).us_to_source).toBe('/conversions/postbacks-out?campaign=c&kind=gave_up');
  });

  it('does not count a visit sent to a fallback as sent to the offer', () => {
    const { seen: said, to_requests } = seen({ fallback: 4 }).get('us_to_offer')!;
    expect(said).toBe('0 sent to the offer · 4 to the fallback');
    expect(to_requests).toBe('/campaigns/c/visits?kind=fallback&hours=24');
  });

  it('says nothing of a share of a few', () => {
    expect(seen({ visits: 3, toPage: 3 }).get('source_to_us')!.lacks).toEqual([]);
    expect(seen({ tests: 1 }).get('source_to_us')!.seen).toBe('only 1 test so far');
  });
});

describe('a source that allows no redirects', () => {
  const direct: TrailParts = { ...whole, source: { ...source, allowsRedirects: false } };
  const hopOf = (parts: TrailParts, key: HopKey) => configuredTrail(parts, place).find((h) => h.key === key)!;

  it('sends its visitors to the page, whose script tells of the visit', () => {
    const { from, to, state } = hopOf(direct, 'source_to_us');
    expect([from.says, to.says, state]).toEqual(['links to the page', 'visit by script', 'known']);
    expect(hopOf(direct, 'us_to_page').from.says).toBe('tells the page the click ID');
  });
  it('needs a page', () => {
    const { state, lacks } = hopOf({ ...direct, page: null }, 'source_to_us');
    expect(state).toBe('missing');
    expect(lacks).toContainEqual(
      expect.objectContaining({
        code: 'needs_page',
        breaks: true,
        sentence: expect.stringContaining('allows no redirects'),
      }),
    );
  });
});

describe('the checklist', () => {
  const chain = {
    sourceName: 'Moorhen Push',
    allowsRedirects: true,
    networkName: 'Larkspur CPA',
    pageName: 'Star quiz',
    isReported: true,
    postbackUrl: 'https://go.kits.example/in/k?click_id=#ref#',
  };
  const states = (live: Partial<CampaignLive>, more: Partial<typeof chain> | { pageName: null } = {}) =>
    checklist({ ...nothing, ...live }, { ...chain, ...more }).map((s) => `${s.key} ${s.state}`);
  const visit = { clickId: ID, at: AT, isTest: false, country: 'NL', device: 'phone', rawQuery: 'clk=1' };
  const conversion = {
    id: ID,
    clickId: ID,
    at: AT,
    status: 'pending' as const,
    payoutMicros: '1',
    currency: 'EUR',
    isTest: true,
    isReported: false,
  };
  const call = {
    id: ID,
    at: AT,
    conversionId: ID,
    url: 'https://x.example',
    state: 'delivered',
    result: 'answered 200',
    httpStatus: 200,
  };

  it('turns on step by step, and points at the next one', () => {
    expect(states({})).toEqual(['visit near', 'button off', 'conversion off', 'postback_out off']);
    expect(states({ lastVisit: visit })).toEqual([
      'visit on',
      'button near',
      'conversion off',
      'postback_out off',
    ]);
    const clicked = { lastVisit: visit, lastClick: { clickId: ID, n: 2, at: AT } };
    expect(states(clicked)).toEqual(['visit on', 'button on', 'conversion near', 'postback_out off']);
    const all = { ...clicked, lastConversion: conversion, lastPostbackOut: call };
    expect(states(all)).toEqual(['visit on', 'button on', 'conversion on', 'postback_out on']);
    expect(states({}, { pageName: null })).toEqual(['visit near', 'conversion off', 'postback_out off']);
  });

  it('says what to look at where a step stays off', () => {
    const says = (live: Partial<CampaignLive>, key: string) =>
      checklist({ ...nothing, ...live }, chain).find((s) => s.key === key)!;
    expect(says({ visits: 2, lastVisit: visit }, 'conversion').says).toBe(
      '2 visits, but no postback from Larkspur CPA yet. Check that this postback URL is set there: https://go.kits.example/in/k?click_id=#ref#',
    );
    const [first] = checklist(nothing, { ...chain, allowsRedirects: false });
    expect(first!.says).toContain('that the page has Tracheon’s script');
    expect(says({ toPage: 2 }, 'button').says).toMatch(
      /2 visits reached Star quiz, but no button was clicked/,
    );
    const lost = { id: ID, at: AT, rawQuery: 'a', clickId: '', sentence: 'No click ID came with it.' };
    expect(says({ unmatched: 1, lastUnmatched: lost }, 'conversion')).toMatchObject({ state: 'trouble' });
    expect(says({ lastConversion: conversion }, 'postback_out').says).toMatch(/test without a postback/);
    expect(
      says({ lastConversion: { ...conversion, isTest: false, isReported: true } }, 'postback_out').says,
    ).toMatch(/gets no postback for pending conversions/);
    expect(
      says(
        { lastPostbackOut: { ...call, state: 'waiting', httpStatus: 500 }, lastConversion: conversion },
        'postback_out',
      ),
    ).toMatchObject({
      state: 'trouble',
      says: 'Moorhen Push answered 500; Tracheon will try again. Check its postback URL.',
    });
  });
});
