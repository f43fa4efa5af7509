import { describe, expect, it } from '@jest/globals';
import { campaignInput, networkInput, offerInput, sourceInput, type PartKind } from '@tracheon/core/contract';
import { destination } from '@tracheon/core/links';
import { buildVisit, type VisitRequest } from './buildVisit.ts';
import { namesOf } from './visitNames.ts';
import { compileDesk } from '../snapshot/compileDesk.ts';
import type { CompiledBotList, CompiledCampaign, RawPart } from '../snapshot/compiled.ts';
import { Memory } from './uniqueness.ts';
import { nowhere } from './visitor.ts';

const NOW = Date.parse('2026-11-25T12:00:00Z');
const ID = '01M8ZZZZZZ0123456789ABCDEF';
const PARTNER = '01M8PARTNER0123456789ABCDE';

function campaign(link: string, source: object = {}, cost: object = { costModel: 'link' }): CompiledCampaign {
  const raw = (kind: PartKind, id: string, name: string, body: unknown): RawPart => ({
    id,
    deskId: 'D',
    kind,
    key: kind === 'campaign' ? 'k' : '',
    name,
    state: 'live',
    version: 3,
    body,
  });
  const desk = compileDesk(
    {
      deskId: 'D',
      version: 1,
      zone: 'UTC',
      fallbackUrl: '',
      oldKeys: [],
      domains: [],
      parts: [
        raw(
          'network',
          'N',
          'Larkspur CPA',
          networkInput.parse({ name: 'Larkspur CPA', clickIdParameter: 'ref', fields: {} }),
        ),
        raw(
          'source',
          'S',
          'Moorhen Push',
          sourceInput.parse({
            name: 'Moorhen Push',
            parameters: [
              { parameter: 'clk', macro: '[click]', role: 'click_id' },
              { parameter: 'site', macro: '[site]', role: 'sub', sub: 'site' },
              { parameter: 'bid', macro: '[cost]', role: 'cost' },
            ],
            ...source,
          }),
        ),
        raw('offer', 'O', 'Jar', offerInput.parse({ name: 'Jar', networkId: 'N', link })),
        raw(
          'campaign',
          'C',
          'NL jar',
          campaignInput.parse({ name: 'NL jar', sourceId: 'S', offerId: 'O', ...cost }),
        ),
      ],
    },
    null,
  );
  return desk.campaigns.get('k')!;
}
const request: VisitRequest = {
  query: '',
  address: '145.53.10.20',
  userAgent: 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0',
  acceptLanguage: 'nl',
  referrer: 'https://tuinpraat.example/a?b=c',
  hasCookie: false,
  test: null,
  isRaw: false,
};
const offerOf = (c: CompiledCampaign) => c.branches[0]!.pairings[0]!.offers[0]!;
const sentTo: string[] = [];
const build = (c: CompiledCampaign, query: string, botList?: CompiledBotList) =>
  buildVisit(
    c,
    { ...request, query },
    {
      route: () => ({
        fate: 'sent',
        branchId: 'otherwise',
        pairing: c.branches[0]!.pairings[0]!,
        offer: offerOf(c),
        address: null,
      }),
      botList,
      sentTo: (offerId) => sentTo.push(offerId),
      partner: (id) =>
        id === PARTNER ? { deskId: 'D', blocked: new Map([['site', new Set(['bad'])]]) } : undefined,
      findPlace: () => ({ ...nowhere, country: 'NL' }),
      memory: new Memory({ today: Buffer.alloc(32), yesterday: Buffer.alloc(32) }),
      newId: () => ID,
      now: NOW,
      history: () => ({ hasConverted: false, offerIds: new Set() }),
      recorded: true,
    },
  ).visit;

describe('the cost of a visit', () => {
  it.each([
    ['visit', '0.0310', 31_000n],
    ['thousand', '1.50', 1_500n],
    // Half a micro-unit is rounded away from zero.
    ['thousand', '0.0005', 1n],
    ['cents', '3.1', 31_000n],
    ['micros', '31000', 31_000n],
    // Nine decimals are read, and rounded once.
    ['visit', '0.000000500', 1n],
    ['visit', '0.001234499', 1_234n],
    ['cents', '0.000049999', 0n],
  ])('told %s as %s', (costUnit, told, micros) => {
    expect(build(campaign('https://o.example/', { costUnit }), `bid=${told}`).costMicros).toBe(micros);
  });
  it('with more decimals than money has says that it was rounded', () => {
    const notes = (told: string): string[] => [...build(campaign('https://o.example/'), `bid=${told}`).notes];
    expect(notes('0.0012345')).toContain('rounded_cost');
    expect(notes('0.001234')).not.toContain('rounded_cost');
    expect(notes('0.0012345678')).toContain('unreadable_cost');
  });
  it('is multiplied by what the source bills for each that arrives, and by its fee', () => {
    const source = { billedPerArrived: '1050000', feePercent: '2500000' };
    // 0.031 × 1.05 × 1.025, to the micro-unit; and the typed bid alike.
    expect(build(campaign('https://o.example/', source), 'bid=0.031').costMicros).toBe(33_364n);
    const typed = { costModel: 'visit', costMicros: '410000' };
    expect(build(campaign('https://o.example/', source, typed), '').costMicros).toBe(441_263n);
  });
  it('is the campaign’s own where it is typed in, and unknown where there is none', () => {
    expect(
      build(campaign('https://o.example/', {}, { costModel: 'visit', costMicros: '40000' }), 'bid=9')
        .costMicros,
    ).toBe(40_000n);
    expect(build(campaign('https://o.example/', {}, { costModel: 'none' }), 'bid=9').costMicros).toBeNull();
  });
  it('is read by the declared decimal mark', () => {
    expect(build(campaign('https://o.example/', { decimalMark: ',' }), 'bid=1.234,5').costMicros).toBe(
      1_234_500_000n,
    );
  });
});

describe('the partner of a visit', () => {
  const brought = (query: string, source = {}) => {
    const { broughtBy, notes } = build(campaign('https://o.example/', source), query);
    return [broughtBy, [...notes].filter((note) => note === 'unknown_partner')];
  };
  it('is the one whose link it was', () => {
    expect(brought(`bid=1&partner=${PARTNER}`)).toEqual([PARTNER, []]);
    expect(brought('bid=1')).toEqual(['', []]);
    expect(brought('bid=1&partner=')).toEqual(['', []]);
  });
  it('may not send some values of sub-IDs: the visit says so', () => {
    const site = { parameters: [{ parameter: 's', macro: '[s]', role: 'sub', sub: 'site' }] };
    const notesOf = (query: string) => [...build(campaign('https://o.example/', site), query).notes];
    expect(notesOf(`partner=${PARTNER}&s=bad`)).toContain('blocked_sub');
    expect(notesOf(`partner=${PARTNER}&s=good`)).not.toContain('blocked_sub');
    expect(notesOf('s=bad')).not.toContain('blocked_sub');
  });
  it('is nobody where the desk has no such partner, and the visit says so', () => {
    expect(brought('bid=1&partner=01M8NOBODY')).toEqual(['', ['unknown_partner']]);
  });
  it('is not what a source means by a parameter of this name', () => {
    const parameters = [{ parameter: 'partner', macro: '[p]', role: 'sub', sub: 'publisher' }];
    expect(brought(`partner=${PARTNER}`, { parameters })).toEqual(['', []]);
  });
});

describe('the way on', () => {
  const to = (link: string, query: string): string | null => {
    const c = campaign(link);
    return destination(offerOf(c).link, namesOf(c, offerOf(c), null), build(c, query), request.referrer);
  };
  it('has every token of the visit filled, encoded for where it stands', () => {
    const link =
      'https://o.example/{campaign_name}?ref={click_id}&sc={source_click_id}&s={source_name}&n={network_name}&o={offer_name}&site={sub_site}&co={country}&l={language}&d={device}&os={os}&b={browser}&h={referrer_host}&t={visit_time}&u={visit_unix}&c={cost}&cur={currency}&none={sub_none}';
    expect(to(link, 'clk=a%26b&site=x%20y.example&bid=0.031')).toBe(
      `https://o.example/NL%20jar?ref=${ID}&sc=a%26b&s=Moorhen%20Push&n=Larkspur%20CPA&o=Jar&site=x%20y.example&co=NL&l=nl&d=desktop&os=Linux&b=Firefox&h=tuinpraat.example&t=2026-11-25T12%3A00%3A00.000Z&u=1795608000&c=0.031&cur=EUR&none=`,
    );
  });
  it('leaves macros of the other side and odd encodings as they are', () => {
    expect(to('https://o.example/?z=[zone]&a=%2f%zz&ref={click_id}', '')).toBe(
      `https://o.example/?z=[zone]&a=%2f%zz&ref=${ID}`,
    );
  });
  it('doubles the encoding inside a nested address', () => {
    expect(
      to('https://o.example/?u=https%3A%2F%2Fp.example%2F%3Fs%3D{sub_site_enc}&ref={click_id}', 'site=a%20b'),
    ).toContain('%3Fs%3Da%2520b&');
  });
  it('stays at the origin of the template, whatever a sub-ID holds', () => {
    for (const evil of [
      '//evil.example',
      '@evil.example',
      '/../../x',
      '\\evil.example',
      'https://evil.example/',
    ]) {
      const url = to('https://o.example/{+sub_site}?ref={click_id}', `site=${encodeURIComponent(evil)}`);
      expect(new URL(url!).origin).toBe('https://o.example');
    }
    // A token that touches the host does not even compile.
    expect(() => campaign('https://o.example{+sub_site}?ref={click_id}').id).toThrow();
  });
});

it('fills a row that is whole before it is written', () => {
  expect(build(campaign('https://o.example/'), 'clk=1&site=a&bid=0.1')).toMatchObject({
    deskId: 'D',
    id: ID,
    atMs: NOW,
    campaignId: 'C',
    campaignVersion: 3,
    sourceId: 'S',
    offerId: 'O',
    offerVersion: 3,
    networkId: 'N',
    branchId: 'otherwise',
    pairingId: 'only',
    fate: 'sent',
    isUnique: true,
    isRepeat: false,
    isTest: false,
    guessed: true,
    subs: { site: 'a' },
    rawQuery: 'clk=1&site=a&bid=0.1',
  });
});
