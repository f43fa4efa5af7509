import { describe, expect, it } from '@jest/globals';
import {
  campaignInput,
  landingPageInput,
  networkInput,
  offerInput,
  sourceInput,
  type PostbackInRow,
  type PostbackOutRow,
  type ConversionRow,
  type PartBodies,
  type PartKind,
  type PartRecord,
  type VisitTrail,
} from '../contract/index.ts';
import { travelledTrail, type HopKey } from './index.ts';

const ID = '01KAVB5T9C7QK2M8W3XJ4RZ6ND';
const AT = '2026-11-25T09:30:00Z';
const LATER = '2026-11-25T10:12:00Z';
const place = { origin: 'https://go.kits.example', ownOrigins: [], deskCurrency: 'EUR' };
const part = <K extends PartKind>(kind: K, body: PartBodies[K]): PartRecord<K> => ({
  id: ID,
  kind,
  version: 1,
  state: 'live' as const,
  key: '',
  body,
  createdAt: AT,
  updatedAt: AT,
});
const source = sourceInput.parse({
  name: 'Moorhen Push',
  parameters: [{ parameter: 'clk', macro: '[click]', role: 'click_id' }],
  postbackUrl: 'https://ads.moorhen.example/p?uid={source_click_id}',
});
const network = networkInput.parse({
  name: 'Larkspur CPA',
  fields: { click_id: { macro: '#ref#', parameter: 'cid' }, payout: { macro: '#amt#' } },
});
const offer = offerInput.parse({
  name: 'Skylark trial',
  networkId: ID,
  link: 'https://go.larkspur.example/o?aff_ref={click_id}',
});
const page = landingPageInput.parse({ name: 'Star quiz', url: 'https://kits.example/quiz' });

const visit: VisitTrail['visit'] = {
  id: ID,
  at: AT,
  campaignId: ID,
  offerId: ID,
  landingId: '',
  fate: 'sent',
  country: 'NL',
  device: 'phone',
  deviceModel: '',
  os: '',
  osVersion: '',
  browser: '',
  browserVersion: '',
  language: '',
  referrerHost: '',
  addressPrefix: '',
  guessed: false,
  isBot: false,
  isRepeat: false,
  isUnique: true,
  isTest: false,
  costMicros: null,
  costCurrency: 'EUR',
  sourceClickId: 'mh-7',
  subs: {},
  rawQuery: 'clk=mh-7&site=x',
  notes: [],
  buttonClicks: [],
  dimensions: [],
};
const call = (more: Partial<PostbackInRow> = {}): PostbackInRow => ({
  id: ID,
  receivedAt: LATER,
  networkId: ID,
  networkName: 'Larkspur CPA',
  method: 'GET',
  rawQuery: `cid=${ID}&payout=18.00`,
  body: '',
  outcome: 'accepted',
  reason: 'booked',
  sentence: 'New conversion.',
  clickId: ID,
  conversionId: ID,
  setAsideReason: '',
  notes: [],
  ...more,
});
const conversion: ConversionRow = {
  id: ID,
  at: LATER,
  visitAt: AT,
  clickId: ID,
  partnerId: '',
  partnerName: '',
  partnerStatus: null,
  partnerMicros: null,
  partnerCurrency: null,
  partnerDueAt: null,
  campaignId: ID,
  campaignName: '',
  offerName: '',
  networkName: '',
  eventName: 'Sale',
  status: 'pending',
  transaction: '',
  payoutMicros: '18000000',
  currency: 'EUR',
  baseMicros: null,
  isTest: false,
  flags: [],
  notedMicros: null,
  notedCurrency: null,
  sourceName: '',
  sourceClickId: '',
  branchId: '',
  pairingId: '',
  landingName: '',
  country: '',
  device: '',
  subs: {},
  extras: {},
  isReported: null,
  sentState: '',
};
const toldCall = (state: PostbackOutRow['state'], httpStatus: number): PostbackOutRow => ({
  id: ID,
  createdAt: LATER,
  conversionId: ID,
  sourceName: 'Moorhen Push',
  isPartner: false,
  campaignName: '',
  status: 'approved',
  nth: 1,
  method: 'get',
  body: '',
  url: 'https://ads.moorhen.example/p?uid=mh-7',
  state,
  setAsideReason: '',
  nextTryAt: null,
  attempts: [{ at: LATER, result: `answered ${httpStatus}`, httpStatus, tookMs: 3 }],
});
const trail = (more: Partial<VisitTrail> = {}, visitMore: object = {}): VisitTrail => ({
  visit: { ...visit, ...visitMore },
  parts: {
    campaign: part('campaign', campaignInput.parse({ name: 'BE · Stargazing', sourceId: ID, offerId: ID })),
    source: part('source', source),
    network: part('network', network),
    offer: part('offer', offer),
    page: null,
  },
  pageUrl: '',
  offerUrl: `https://go.larkspur.example/o?aff_ref=${ID}`,
  postbacksIn: [],
  conversions: [],
  postbacksOut: [],
  ...more,
});
const hopOf = (t: VisitTrail, key: HopKey) => travelledTrail(t, place).find((h) => h.key === key)!;

describe('what travelled with a visit', () => {
  it('has the names and values as they went by, their times, and the raw requests', () => {
    const whole = trail({
      postbacksIn: [call()],
      conversions: [conversion],
      postbacksOut: [toldCall('delivered', 200)],
    });
    expect(travelledTrail(whole, place).map((h) => [h.key, h.state, h.carries[0], h.at, h.raw])).toEqual([
      ['source_to_us', 'known', { name: 'clk', value: 'mh-7' }, AT, 'clk=mh-7&site=x'],
      ['us_to_offer', 'known', expect.objectContaining({ name: 'aff_ref', value: ID }), AT, whole.offerUrl],
      ['network_to_us', 'known', { name: 'cid', value: ID }, LATER, `cid=${ID}&payout=18.00`],
      [
        'us_to_source',
        'known',
        expect.objectContaining({ name: 'uid', value: 'mh-7' }),
        LATER,
        'https://ads.moorhen.example/p?uid=mh-7',
      ],
    ]);
  });

  it('waits for what has not happened', () => {
    const states = travelledTrail(trail(), place).map((h) => `${h.key} ${h.state} ${h.seen}`);
    expect(states.slice(2)).toEqual([
      'network_to_us waiting no postback received',
      'us_to_source waiting no postback due yet',
    ]);
  });

  it('goes by the page and its button; to the offer only once one was pressed', () => {
    const by = (clicks: VisitTrail['visit']['buttonClicks']): VisitTrail => {
      const t = trail(
        { pageUrl: `https://kits.example/quiz?click_id=${ID}` },
        { landingId: ID, buttonClicks: clicks },
      );
      return { ...t, parts: { ...t.parts, page: part('landing-page', page) } };
    };
    expect(hopOf(by([]), 'page_to_us')).toMatchObject({ state: 'waiting', seen: 'no button clicked' });
    expect(hopOf(by([]), 'us_to_offer').state).toBe('waiting');
    const pressed = by([{ n: 2, at: LATER, offerName: 'Terrarium box', match: 'cookie', told: '' }]);
    expect(hopOf(pressed, 'page_to_us')).toMatchObject({
      state: 'known',
      at: LATER,
      carries: [{ name: 'button 2', value: ID }],
      seen: 'matched by the cookie',
    });
    expect(hopOf(pressed, 'us_to_offer')).toMatchObject({ state: 'known', at: LATER });
  });

  it('names the hop at which the ID was lost', () => {
    const lost = (t: VisitTrail, key: HopKey) => {
      const h = hopOf(t, key);
      return [h.state, h.lacks.map((l) => l.code)];
    };
    const unfilled = { sourceClickId: '', rawQuery: 'clk=[click]', notes: ['unsubstituted:clk'] };
    expect(lost(trail({}, unfilled), 'source_to_us')).toEqual(['missing', ['seen_unfilled']]);
    expect(lost(trail({}, { sourceClickId: '', rawQuery: '' }), 'source_to_us')).toEqual([
      'missing',
      ['seen_missing'],
    ]);
    expect(lost(trail({ offerUrl: 'https://go.larkspur.example/o' }), 'us_to_offer')).toEqual([
      'missing',
      ['no_click_id'],
    ]);
    expect(
      lost(
        trail({ postbacksIn: [call({ outcome: 'held', conversionId: '', sentence: 'Held.' })] }),
        'network_to_us',
      ),
    ).toEqual(['missing', ['seen_unmatched']]);
    expect(lost(trail({ postbacksOut: [toldCall('gave_up', 404)] }), 'us_to_source')).toEqual([
      'missing',
      ['seen_refused'],
    ]);
  });

  it('says why a source was not told', () => {
    const says = (t: VisitTrail): string => hopOf(t, 'us_to_source').seen;
    expect(says(trail({ conversions: [conversion] }))).toBe(
      'not reported yet: it is pending, and the source gets postbacks for approved',
    );
    const approved = { ...conversion, status: 'approved' as const };
    expect(says(trail({ conversions: [approved] }))).toMatch(/or the reported share/);
    expect(says(trail({ conversions: [approved] }, { isTest: true }))).toMatch(/this is a test/);
  });
});
